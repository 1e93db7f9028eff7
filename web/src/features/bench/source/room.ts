import { useMemo } from "react";
import { client, type Fix, type Shot } from "../../../api/client";
import { ringOf } from "../../../geometry/shapes";
import { say } from "../../../ui/messages";
import { PLAIN, stillAddress } from "../shared/addresses";
import { cornerNodes, pathNodes } from "../shared/nodes";
import { useBench } from "../store";
import { outline, placer, ring } from "../viewer/paint";
import { useBitmap } from "../viewer/pictures";
import type { Given, Room, Scene } from "../viewer/room";
import { useArtHands } from "./artHands";
import { useApart, useBrushHands } from "./brushHands";
import { keepFill, keepSoften } from "./changes";
import { middleOf, useFillHands } from "./fillHands";
import * as paint from "./paint";
import { type PlateCanvas, usePlate } from "./plate";
import { fromDonor } from "./slice";

/** The picture of the frame that a donor lies on, held still. */
function useOther(fix: Fix | null, shot: Shot, fixes: Fix[], open: boolean) {
  const source = useBench((state) => state.way.source);
  const on = typeof source === "number" && open && fix?.hold;
  const { bitmap } = useBitmap(on ? stillAddress(fix, shot, source, fixes, false, PLAIN, false) : null);
  return useMemo(
    () => (on && bitmap ? { bitmap, left: fix.hold!.still_left, top: fix.hold!.still_top } : null),
    [on, bitmap, fix],
  );
}

/** The plate's frame with the artwork laid on it, held still. */
function useLaid(fix: Fix | null, shot: Shot, fixes: Fix[], open: boolean) {
  const on = open && fix?.hold && fix.source === "insert" && fix.art && fix.plate && !fix.lacks;
  return useBitmap(on ? stillAddress(fix, shot, fix.plate!.frame, fixes, true, PLAIN, false) : null).bitmap;
}

/** The source on the pictures: the plate in the Still view with the brush on it, artwork's corners, protection. */
export function useSourceRoom({ shot, fix, fixes, frame, held, change }: Given, open: boolean): Room {
  const { tool, grainless, pointer, set } = useBench();
  const plates = usePlate(fix, open, `${shot.look_name}${grainless ? " grainless" : ""}`);
  const other = useOther(fix, shot, fixes, open);
  const laid = useLaid(fix, shot, fixes, open);
  const brush = useBrushHands({ fix, change, plates, other });
  const art = useArtHands(fix, change);
  const fills = useFillHands(open ? fix : null, frame, change);
  useApart(fix);
  const map = held?.map ?? null;
  const plate = open && fix?.plate && fix.source !== "soften" ? plates.plate : null;

  function protect(points: { x: number; y: number }[]) {
    set({ tool: "look" });
    change.mutate(({ params, version }) =>
      client.PATCH("/api/fixes/{fix}/protect", { params, body: { version, nodes: cornerNodes(ringOf(points)) } }),
    );
  }

  function paintSource({ ink, view, space, place, playing }: Scene) {
    if (open && fix && place && !playing) {
      if (fix.protect) outline(ink, place, pathNodes(fix.protect), null, false);
      if (art.corners) paint.art(ink, place, art.corners);
      paintFill(ink, place);
    }
    if (plate && space === "still" && pointer?.space === "still") paintBrush(ink, view, plate);
  }

  function paintFill(ink: Scene["ink"], place: NonNullable<Scene["place"]>) {
    const [arrow, donor] = [fills.arrow(), fills.donor()];
    if (arrow) paint.arrow(ink, place, arrow.from, arrow.to);
    const at = fix && middleOf(fix, frame);
    if (donor && at) paint.donor(ink, place, donor, at.middle);
    const woven = fix?.source === "fill" && fix.fill.kind === "weave" ? fix.fill.place : null;
    if (woven) outline(ink, place, pathNodes(cornerNodes(woven.map(([x, y]) => ({ x, y })))), null, true);
  }

  /** Texture for a weave is taken within the loop. */
  function weaveFrom(points: { x: number; y: number }[]) {
    if (!fix) return;
    set({ tool: "look" });
    const place = ringOf(points).map((p): [number, number] => [Math.round(p.x), Math.round(p.y)]);
    keepFill(change, fix, { kind: "weave", place });
  }

  /** Softened skin gets the pores of another place. */
  function softenFrom(at: { x: number; y: number }) {
    const from = fix && middleOf(fix, frame);
    if (!fix || !from) return;
    set({ tool: "look" });
    const take: [number, number] = [Math.round(at.x - from.middle.x), Math.round(at.y - from.middle.y)];
    keepSoften(change, fix, { take });
  }

  function paintBrush(ink: Scene["ink"], view: Scene["view"], on: PlateCanvas) {
    const { brush: tip, kind, offset, donor, apart, way } = useBench.getState();
    const at = pointer!.at;
    const set = donor ? { x: donor.x - at.x, y: donor.y - at.y } : null;
    const from = fromDonor(kind) ? (offset ?? set) : null;
    const busy = brush.stroke !== null;
    if (busy && !offset) ring(ink, placer(view, null)(at), tip.radius * view.scale);
    else paint.brush(ink, view, at, tip.radius, from, on, busy ? 0 : tip.opacity, apart, way, other);
  }

  return {
    words: {
      moveStroke: "Drag the chosen stroke in the Still view. Esc leaves.",
      softenTake: "Click a place in the Still view whose pores are laid here. Esc leaves.",
    },
    loops: {
      weavePlace: {
        words: "Draw round a clean place whose texture is taken. Esc leaves.",
        where: "both",
        least: 6,
        done({ points, space }) {
          const there = space === "still" ? points : map && points.map((p) => map.inverse(p));
          if (there) weaveFrom(there);
        },
      },
      protect: {
        words: "Draw round what strokes may touch, in the Still view. Esc leaves.",
        where: "both",
        least: 6,
        done({ points, space }) {
          const there = space === "still" ? points : map && points.map((p) => map.inverse(p));
          if (there) protect(there);
          else say("The surface is not held on this frame; draw it on one where it is.");
        },
      },
    },
    down(space, press) {
      if (tool === "softenTake" && space === "still") {
        softenFrom(press.at);
        return true;
      }
      if (tool === "moveStroke") return space === "still" && brush.begin(press);
      if (!open || !fix || tool !== "look") return false;
      const at = space === "still" ? press.at : map?.inverse(press.at);
      if (at && art.begin(at, press.view.scale)) return true;
      if (at && fills.begin(at, press.view.scale)) return true;
      return space === "still" && !!fix.plate && brush.begin(press);
    },
    move(space, press) {
      if (!art.dragging() && !fills.dragging()) {
        brush.drag(press);
        return;
      }
      const at = space === "still" ? press.at : map?.inverse(press.at);
      if (at && art.dragging()) art.drag(at);
      else if (at) fills.drag(at);
    },
    up: () => (art.dragging() ? art.end() : fills.dragging() ? fills.end() : brush.end()),
    drop() {
      brush.drop();
      fills.drop();
    },
    paint: paintSource,
    still: plate && {
      words: `Still, plate ${fix?.plate?.frame}`,
      draw(ink, view) {
        paint.plate(ink, view, plate);
        if (laid && art.corners && fix?.hold) paint.laidArt(ink, view, laid, fix.hold, art.corners);
        for (const { stroke } of brush.settling) paint.live(ink, view, stroke, plate);
        if (brush.stroke) paint.live(ink, view, brush.stroke, plate);
      },
    },
    cursor: plate ? { still: "none" } : {},
  };
}
