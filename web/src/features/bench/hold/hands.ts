import { useEffect, useState } from "react";
import type { Fix } from "../../../api/client";
import { toScreen } from "../../../canvas/view";
import { type HoldMap, planarMap } from "../../../geometry/holdmap";
import { homographyOf } from "../../../geometry/homography";
import { add, distance, type Point, sub } from "../../../geometry/points";
import { type Bounds, bounds, corners, inside, points, shapeOf } from "../../../geometry/shapes";
import type { Change } from "../shared/panel";
import { useBench } from "../store";
import type { Press } from "../viewer/PictureView";
import type { Held } from "../viewer/pictures";
import type { Space } from "../viewer/slice";
import { holdChanges } from "./changes";
import { groundCorners, isPointed, redraft, wanted } from "./draft";
import type { Draft } from "./slice";

const REACH = 12; // screen px within which a corner is grabbed
const NEAR = 0.25; // of the reach: a point dragged again takes the place of the one before it
const SMALLEST_WINDOW = 16; // px

type Drag =
  | { kind: "whole" | "point"; still: Point; from: Point; at: Point }
  | { kind: "corner"; index: number; at: Point }
  | { kind: "window"; index: number; corner: number | null; from: Point; at: Point; box: Bounds }
  | { kind: "search"; index: number; at: Point; box: Bounds }
  | { kind: "line"; a: Point; b: Point };

interface Given {
  fix: Fix | null;
  held: Held | null;
  change: Change;
}

/** Dragging the hold, its corners, single points, the windows of a point hold, and the test line. */
export function useHoldHands({ fix, held, change }: Given) {
  const [drag, setDrag] = useState<Drag | null>(null);
  const [pending, setPending] = useState<Drag | null>(null); // shown until the server has made it so
  const bench = useBench.getState;
  const hold = fix?.hold ?? null;
  const version = fix?.version;
  // biome-ignore lint/correctness/useExhaustiveDependencies: a new version is the signal
  useEffect(() => setPending(null), [version]);
  const shown = drag ?? pending;
  const still = (space: Space, at: Point): Point | null =>
    space === "still" ? at : held ? held.map.inverse(at) : null;

  function down(space: Space, press: Press): boolean {
    const { tool, stage, holdPart, frame } = bench();
    const place = still(space, press.at);
    if (tool === "line" && place) {
      setDrag({ kind: "line", a: place, b: place });
      return true;
    }
    if (stage !== "hold" || !fix || !hold || tool !== "look" || space !== "shot") return false;
    const windows = holdPart !== "correct" && frame === hold.anchor ? windowAt(press) : null;
    if (windows) {
      setDrag(windows);
      return true;
    }
    if (holdPart !== "correct" || !held || !place || frame === hold.anchor) return false;
    const { grab } = bench();
    if (grab === "corner") {
      const index = groundCorners(hold).findIndex(
        (corner) => distance(toScreen(press.view, held.map.forward(corner)), press.screen) < REACH,
      );
      if (index < 0) return false;
      setDrag({ kind: "corner", index, at: press.at });
      return true;
    }
    if (!inside(groundCorners(hold), place)) return false;
    setDrag({ kind: grab, still: place, from: press.at, at: press.at });
    return true;
  }

  function windowAt(press: Press): Drag | null {
    const now = fix && wanted(fix, bench().draft);
    if (!now || !isPointed(now.method.kind)) return null;
    for (let index = 0; index < now.ground.read.length; index++) {
      const box = bounds(points(now.ground.read[index]!));
      const far = (p: Point) => distance(toScreen(press.view, p), press.screen);
      const corner = corners(box).findIndex((p) => far(p) < REACH);
      const area = searchBox(box, now.method.search);
      if (corner >= 0) return { kind: "window", index, corner, from: press.at, at: press.at, box };
      if (corners(area).some((p) => far(p) < REACH)) return { kind: "search", index, at: press.at, box };
      if (inside(corners(box), press.at))
        return { kind: "window", index, corner: null, from: press.at, at: press.at, box };
    }
    return null;
  }

  function move(space: Space, press: Press) {
    if (!drag) return;
    if (drag.kind === "line") {
      const place = still(space, press.at);
      if (place) setDrag({ ...drag, b: place });
    } else setDrag({ ...drag, at: press.at });
  }

  function up() {
    if (!drag || !fix || !hold) return;
    setDrag(null);
    if (drag.kind === "line") {
      bench().set({ tool: "look", testLine: distance(drag.a, drag.b) > 2 ? { a: drag.a, b: drag.b } : null });
      return;
    }
    if (drag.kind === "window") {
      const shape = shapeOf(corners(draggedWindow(drag)));
      redraft(fix, ({ ground }) => ({
        ground: { ...ground, read: ground.read.map((one, k) => (k === drag.index ? shape : one)) },
      }));
      return;
    }
    if (drag.kind === "search") {
      redraft(fix, ({ method }) => ({ method: { ...method, search: draggedSearch(drag) } }));
      return;
    }
    correct(drag);
  }

  function correct(done: Drag & { kind: "whole" | "point" | "corner" }) {
    if (!fix || !hold || !held) return;
    const { frame, reach } = bench();
    const pin = (from: Point, at: Point) => ({ still: pair(from), at: pair(at) });
    setPending(done);
    const known = hold.keys.find((key) => key.frame === frame)?.pins ?? [];
    if (done.kind === "corner") {
      const pins = groundCorners(hold).map((corner, k) =>
        pin(corner, k === done.index ? done.at : held.map.forward(corner)),
      );
      holdChanges(fix, change).key(frame, pins, true, reach);
      return;
    }
    const made = pin(done.still, done.at);
    if (done.kind === "whole") {
      holdChanges(fix, change).key(frame, [made], true, reach);
      return;
    }
    const kept = known.filter(({ still: [x, y] }) => Math.hypot(x! - done.still.x, y! - done.still.y) > NEAR * reach);
    holdChanges(fix, change).key(frame, [...kept, made], false, reach);
  }

  /** The hold's map as it is being dragged. */
  const preview: HoldMap | null = held && shown ? dragged(shown, held.map, hold ? groundCorners(hold) : []) : null;
  const line = drag?.kind === "line" ? { a: drag.a, b: drag.b } : null;
  const draft = useBench((state) => state.draft);
  const windowDraft = fix && drag ? draggedDraft(fix, draft, drag) : draft;
  return { down, move, up, preview, line, windowDraft, busy: drag !== null, drop: () => setPending(null) };
}

/** Ground and method with the window that is being dragged where it is now. */
function draggedDraft(fix: Fix, draft: Draft | null, drag: Drag): Draft | null {
  const now = wanted(fix, draft);
  if (!now || (drag.kind !== "window" && drag.kind !== "search")) return draft;
  const { ground, method } = now;
  if (drag.kind === "search") return { fix: fix.id, ground, method: { ...method, search: draggedSearch(drag) } };
  const shape = shapeOf(corners(draggedWindow(drag)));
  const read = ground.read.map((one, k) => (k === drag.index ? shape : one));
  return { fix: fix.id, method, ground: { ...ground, read } };
}

const pair = (p: Point): [number, number] => [Math.round(p.x * 1000) / 1000, Math.round(p.y * 1000) / 1000];

function dragged(drag: Drag, map: HoldMap, groundAt: Point[]): HoldMap | null {
  if (drag.kind === "whole") {
    const by = sub(drag.at, drag.from);
    return { forward: (p) => add(map.forward(p), by), inverse: (p) => map.inverse(sub(p, by)) };
  }
  if (drag.kind === "corner") {
    const to = groundAt.map((corner, k) => (k === drag.index ? drag.at : map.forward(corner)));
    const matrix = homographyOf(groundAt, to);
    return matrix && planarMap(matrix);
  }
  if (drag.kind !== "point") return null;
  const by = sub(drag.at, drag.from);
  const { reach } = useBench.getState();
  const share = (p: Point) => Math.exp(-2.5 * (distance(p, drag.still) / reach) ** 2);
  return {
    forward: (p) => add(map.forward(p), { x: by.x * share(p), y: by.y * share(p) }),
    inverse: map.inverse,
  };
}

export function draggedWindow({ box, corner, from, at }: Drag & { kind: "window" }): Bounds {
  const by = sub(at, from);
  if (corner === null)
    return { left: box.left + by.x, right: box.right + by.x, top: box.top + by.y, bottom: box.bottom + by.y };
  const made = { ...box };
  if (corner === 0 || corner === 3) made.left = Math.min(box.left + by.x, box.right - SMALLEST_WINDOW);
  else made.right = Math.max(box.right + by.x, box.left + SMALLEST_WINDOW);
  if (corner < 2) made.top = Math.min(box.top + by.y, box.bottom - SMALLEST_WINDOW);
  else made.bottom = Math.max(box.bottom + by.y, box.top + SMALLEST_WINDOW);
  return made;
}

export function draggedSearch({ box, at }: Drag & { kind: "search" }): [number, number] {
  const reach = (low: number, high: number, value: number) =>
    Math.round(Math.min(400, Math.max(4, Math.max(low - value, value - high))));
  return [reach(box.left, box.right, at.x), reach(box.top, box.bottom, at.y)];
}

export const searchBox = (box: Bounds, [x, y]: [number, number]): Bounds => ({
  left: box.left - x,
  top: box.top - y,
  right: box.right + x,
  bottom: box.bottom + y,
});
