import { useQuery } from "@tanstack/react-query";
import { useEffect, useMemo, useRef, useState } from "react";
import type { Fix, Shot } from "../../../api/client";
import { MAPS_AT_ONCE, mapOptions, mapsOptions, queries } from "../../../api/queries";
import { FrameStore } from "../../../canvas/frames";
import { Player } from "../../../canvas/player";
import type { Box, View } from "../../../canvas/view";
import type { HoldMap } from "../../../geometry/holdmap";
import { type Picture, usePicture } from "../../../ui/usePicture";
import type { Compare } from "../compare/slice";
import { PLAIN, partOf, patchedAddress, sourceAddress, VIEW_WIDE, type Way } from "../shared/addresses";
import { isHeld, mapOf, measuredBy } from "../shared/holds";
import { useBench } from "../store";

const KEPT_BYTES = 480_000_000; // of decoded pictures: 130 at 1280 x 720, however large or long the shot is
const AHEAD = 10;
const AT_ONCE = 3;

export const store = new FrameStore(KEPT_BYTES);

export function addressOf(shot: Shot, frame: number, compare: Compare, fixes: Fix[], way: Way = PLAIN): string {
  const patched = compare !== "source" && fixes.some((fix) => fix.on && !fix.lacks);
  if (compare === "changes") return patchedAddress(shot, frame, fixes, { ...PLAIN, wide: way.wide }, true);
  return patched ? patchedAddress(shot, frame, fixes, way) : sourceAddress(shot, frame, way);
}

/** How the pictures are asked for now. A picture larger than the proxies is fetched whole only when it is needed. */
export function useWay(shot: Shot, view: View | null): Way {
  const { channel, stress, compare, playing } = useBench();
  const dense = window.devicePixelRatio || 1;
  const wanted = (view?.scale ?? 0) * shot.clip.width * dense;
  const wide = playing || shot.clip.width <= VIEW_WIDE || wanted <= VIEW_WIDE * 1.1 ? VIEW_WIDE : 0;
  return useMemo(
    () => ({ wide, channel, stress: compare === "stress" ? stress : null }),
    [wide, channel, stress, compare],
  );
}

export interface Detail {
  bitmap: ImageBitmap;
  left: number;
  top: number;
}

const DETAIL_STEP = 64; // parts begin and end on this raster, so that a small pan needs nothing new
const DETAIL_MOST = 2400 * 1600; // pixels

/** What is seen of a picture at 1:1 and closer, without loss. */
export function useDetail(
  address: string | null,
  box: Box,
  view: View | null,
  size: { width: number; height: number },
) {
  const playing = useBench((state) => state.playing);
  const [shown, setShown] = useState<{ address: string; detail: Detail } | null>(null);
  const dense = window.devicePixelRatio || 1;
  const part = address && view && view.scale * dense >= 0.999 && !playing ? partSeen(box, view, size) : null;
  const wanted = address && part ? partOf(address, part) : null;
  // biome-ignore lint/correctness/useExhaustiveDependencies: the address names the part
  useEffect(() => {
    if (!wanted || !part) return;
    const later = setTimeout(() => {
      void store.want(wanted).then((bitmap) => {
        if (bitmap) setShown({ address: wanted, detail: { bitmap, left: part.left, top: part.top } });
      });
    }, 90);
    return () => {
      clearTimeout(later);
      store.leave(wanted);
    };
  }, [wanted]);
  return wanted && shown?.address === wanted && store.get(wanted) ? shown.detail : null;
}

export function partSeen(box: Box, view: View, size: { width: number; height: number }): Box | null {
  const step = (value: number, up: boolean) => (up ? Math.ceil : Math.floor)(value / DETAIL_STEP) * DETAIL_STEP;
  const left = Math.max(0, step(-view.x / view.scale, false));
  const top = Math.max(0, step(-view.y / view.scale, false));
  const right = Math.min(box.width, step((size.width - view.x) / view.scale, true));
  const bottom = Math.min(box.height, step((size.height - view.y) / view.scale, true));
  const [width, height] = [right - left, bottom - top];
  return width > 0 && height > 0 && width * height <= DETAIL_MOST ? { left, top, width, height } : null;
}

/** The picture at an address; the one before it stays until the new one is there, or while `frozen`. */
export function useBitmap(asked: string | null, frozen = false): Picture {
  const before = useRef(asked);
  if (!frozen) before.current = asked;
  return usePicture(store, before.current);
}

export interface Held {
  map: HoldMap;
  /** px a cell, rows; none on the anchor. */
  drift: number[][];
  /** 0..9: how far a cell was used; o: off the frame; .: not read. */
  cells: string[];
}

/** The hold on a frame: its map and cells; null where it is not measured or not here yet. */
export function useHeld(fix: Fix | null, frame: number, moving: boolean): Held | null {
  const hold = fix?.hold ?? null;
  const playing = useBench((state) => state.playing);
  const wanted = !!hold && !playing && isHeld(hold, frame) && frame !== hold.anchor;
  const { data } = useQuery({ ...mapOptions(hold ? measuredBy(hold, frame) : 0, frame), enabled: wanted });
  const running = useMovingMap(fix, frame, moving);
  return useMemo(() => {
    if (!hold) return null;
    if (playing) return running && { map: running, drift: [], cells: [] };
    const map = frame === hold.anchor || wanted ? mapOf(hold, frame, data?.params) : null;
    return map && { map, drift: data?.drift ?? [], cells: data?.cells ?? [] };
  }, [hold, frame, wanted, data, playing, running]);
}

/** The map while it plays, from a stretch that is fetched as a whole: what is drawn on the surface moves with it. */
function useMovingMap(fix: Fix | null, frame: number, on: boolean): HoldMap | null {
  const hold = fix?.hold ?? null;
  const first = hold ? frame - ((frame - hold.first) % MAPS_AT_ONCE) : 0;
  const part = (start: number) =>
    hold?.frames
      .filter((entry) => entry.frame >= start && entry.frame < start + MAPS_AT_ONCE)
      .map((entry) => entry.by)
      .join("-") ?? "";
  const { data } = useQuery({ ...mapsOptions(hold?.id ?? 0, first, part(first)), enabled: on && !!hold });
  useQuery({
    ...mapsOptions(hold?.id ?? 0, first + MAPS_AT_ONCE, part(first + MAPS_AT_ONCE)),
    enabled: on && !!hold && first + MAPS_AT_ONCE <= hold.last,
  });
  return useMemo(() => (on && hold ? mapOf(hold, frame, data?.frames[frame]) : null), [on, hold, frame, data]);
}

/** Runs the clock while playing, and fetches what is coming. */
export function usePlaying(shot: Shot, fixes: Fix[]) {
  const playing = useBench((state) => state.playing);
  const latest = useRef(fixes);
  latest.current = fixes;
  useEffect(() => {
    if (!playing) return;
    const { clip } = shot;
    const { range, round } = useBench.getState();
    const player = new Player(
      range?.first ?? clip.first,
      range?.last ?? clip.last,
      clip.rate_num / clip.rate_den,
      round,
    );
    player.start(useBench.getState().frame, performance.now());
    let handle = 0;
    const beat = (now: number) => {
      const { compare, before, frame, channel, stress } = useBench.getState();
      const shownAs = before ? "source" : compare === "split" ? "patched" : compare;
      const way: Way = { wide: VIEW_WIDE, channel, stress: compare === "stress" ? stress : null };
      const due = player.due(now);
      if (due.over) {
        useBench.setState({ playing: false });
        return;
      }
      const addresses = [addressOf(shot, due.frame, shownAs, latest.current, way)];
      if (compare === "split" && !before) addresses.push(addressOf(shot, due.frame, "source", latest.current, way));
      if (due.frame !== frame || due.count === 0) {
        if (addresses.every((address) => store.get(address))) {
          player.show(due.count);
          useBench.setState({
            frame: due.frame,
            speed: { measured: player.measured(now), dropped: player.dropped },
          });
        }
      }
      for (let k = 0; k < AHEAD && store.busy < AT_ONCE; k++) {
        const next = player.ahead(due.count + k);
        for (const as of compare === "split" && !before ? (["patched", "source"] as const) : [shownAs]) {
          const ahead = addressOf(shot, next, as, latest.current, way);
          if (!store.has(ahead) && !store.problems.has(ahead)) void store.want(ahead);
        }
      }
      handle = requestAnimationFrame(beat);
    };
    handle = requestAnimationFrame(beat);
    return () => cancelAnimationFrame(handle);
  }, [playing, shot]);
}

/** While nothing else is asked for, the neighbours of the frame are fetched, so that stepping is at once. */
export function useNeighbours(
  shot: Shot,
  fixes: Fix[],
  frame: number,
  compare: Compare,
  hold: number | undefined,
  way: Way,
) {
  const playing = useBench((state) => state.playing);
  useEffect(() => {
    if (playing) return;
    const wanted: string[] = [];
    const later = setTimeout(() => {
      for (const next of [frame + 1, frame - 1]) {
        if (next < shot.clip.first || next > shot.clip.last) continue;
        const address = addressOf(shot, next, compare, fixes, way);
        wanted.push(address);
        void store.want(address);
        const fix = fixes.find((entry) => entry.hold?.id === hold);
        if (fix?.hold && isHeld(fix.hold, next) && next !== fix.hold.anchor)
          void queries.prefetchQuery(mapOptions(measuredBy(fix.hold, next), next));
      }
    }, 250);
    return () => {
      clearTimeout(later);
      wanted.forEach((address) => void store.leave(address));
    };
  }, [shot, fixes, frame, compare, hold, playing, way]);
}
