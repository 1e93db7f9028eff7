import { useQuery } from "@tanstack/react-query";
import { useEffect, useMemo, useRef, useState } from "react";
import type { Fix, Shot } from "../../api/client";
import { mapOptions, queries } from "../../api/queries";
import { FrameStore } from "../../canvas/frames";
import { Player } from "../../canvas/player";
import type { HoldMap } from "../../geometry/holdmap";
import { isHeld, mapOf, patchedAddress, sourceAddress } from "./model";
import { type Compare, useBench } from "./store";

const KEPT = 130; // decoded frames; the demo's 96 stay in memory
const AHEAD = 10;
const AT_ONCE = 3;

export const store = new FrameStore(KEPT);

export function addressOf(shot: Shot, frame: number, compare: Compare, fixes: Fix[]): string {
  return compare === "patched" && fixes.some((fix) => fix.on && !fix.lacks)
    ? patchedAddress(shot, frame, fixes)
    : sourceAddress(shot, frame);
}

/** The picture at an address; the one before it stays until the new one is there, or while `frozen`. */
export function useBitmap(
  asked: string | null,
  frozen = false,
): {
  bitmap: ImageBitmap | null;
  problem: string | null;
  late: boolean;
} {
  const before = useRef(asked);
  if (!frozen) before.current = asked;
  const address = before.current;
  const [shown, setShown] = useState<{ address: string; bitmap: ImageBitmap } | null>(null);
  const [problem, setProblem] = useState<string | null>(null);
  const wanted = useRef(address);
  wanted.current = address;
  useEffect(() => {
    setProblem(null);
    if (!address) return;
    void store.want(address).then((bitmap) => {
      if (wanted.current !== address) return;
      if (bitmap) setShown({ address, bitmap });
      else setProblem(store.problems.get(address) ?? "This picture could not be loaded.");
    });
    return () => store.leave(address);
  }, [address]);
  const now = address ? store.get(address) : undefined;
  return {
    bitmap: problem || !address ? null : (now ?? shown?.bitmap ?? null),
    problem,
    late: !!address && !now && !problem,
  };
}

/** The hold's map on a frame; null where it is not measured or not here yet. */
export function useHoldMap(fix: Fix | null, frame: number): HoldMap | null {
  const hold = fix?.hold ?? null;
  const playing = useBench((state) => state.playing);
  const wanted = !!hold && !playing && isHeld(hold, frame) && frame !== hold.anchor;
  const { data } = useQuery({ ...mapOptions(hold?.id ?? 0, frame), enabled: wanted });
  return useMemo(
    () => (hold && (frame === hold.anchor || wanted) ? mapOf(hold, frame, data?.params) : null),
    [hold, frame, wanted, data],
  );
}

/** Runs the clock while playing, and fetches what is coming. */
export function usePlaying(shot: Shot, fixes: Fix[]) {
  const playing = useBench((state) => state.playing);
  const latest = useRef(fixes);
  latest.current = fixes;
  useEffect(() => {
    if (!playing) return;
    const { clip } = shot;
    const player = new Player(clip.first, clip.last, clip.rate_num / clip.rate_den);
    player.start(useBench.getState().frame, performance.now());
    let handle = 0;
    const beat = (now: number) => {
      const { compare, before, frame } = useBench.getState();
      const shownAs = before ? "source" : compare;
      const due = player.due(now);
      const address = addressOf(shot, due.frame, shownAs, latest.current);
      if (due.frame !== frame || due.count === 0) {
        if (store.get(address)) {
          player.show(due.count);
          useBench.setState({
            frame: due.frame,
            speed: { measured: player.measured(now), dropped: player.dropped },
          });
        }
      }
      for (let k = 0; k < AHEAD && store.busy < AT_ONCE; k++) {
        const next = clip.first + ((due.frame - clip.first + k) % player.length);
        const ahead = addressOf(shot, next, shownAs, latest.current);
        if (!store.get(ahead) && !store.problems.has(ahead)) void store.want(ahead);
      }
      handle = requestAnimationFrame(beat);
    };
    handle = requestAnimationFrame(beat);
    return () => cancelAnimationFrame(handle);
  }, [playing, shot]);
}

/** While nothing else is asked for, the neighbours of the frame are fetched, so that stepping is at once. */
export function useNeighbours(shot: Shot, fixes: Fix[], frame: number, compare: Compare, hold: number | undefined) {
  const playing = useBench((state) => state.playing);
  useEffect(() => {
    if (playing) return;
    const wanted: string[] = [];
    const later = setTimeout(() => {
      for (const next of [frame + 1, frame - 1]) {
        if (next < shot.clip.first || next > shot.clip.last) continue;
        const address = addressOf(shot, next, compare, fixes);
        wanted.push(address);
        void store.want(address);
        const fix = fixes.find((entry) => entry.hold?.id === hold);
        if (fix?.hold && isHeld(fix.hold, next) && next !== fix.hold.anchor)
          void queries.prefetchQuery(mapOptions(fix.hold.id, next));
      }
    }, 250);
    return () => {
      clearTimeout(later);
      wanted.forEach((address) => void store.leave(address));
    };
  }, [shot, fixes, frame, compare, hold, playing]);
}
