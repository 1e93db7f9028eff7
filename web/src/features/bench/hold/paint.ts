import type { Fix, Hold } from "../../../api/client";
import * as draw from "../../../canvas/draw";
import type { Point } from "../../../geometry/points";
import { bounds, corners, keyedShape, points } from "../../../geometry/shapes";
import { level } from "../shared/levels";
import { useBench } from "../store";
import type { Place } from "../viewer/paint";
import type { Held } from "../viewer/pictures";
import { groundCorners, isPointed, wanted } from "./draft";
import { searchBox } from "./hands";
import type { Draft, Laid } from "./slice";

type Ink = CanvasRenderingContext2D;
const LINE_STEP = 24; // px between the lines that are laid on the surface
const CHECK = 24;
const TRUST = {
  quiet: "rgba(111,159,141,.20)",
  noticeable: "rgba(224,161,60,.42)",
  loud: "rgba(226,96,61,.5)",
  none: "",
};
const USED = 3; // of 9: below this a cell hardly counts

/** The ground as it would be tracked: what is read, what is ignored on the surface. */
export function ground(ink: Ink, place: Place, fix: Fix, draft: Draft | null) {
  const now = wanted(fix, draft);
  if (!now) return;
  for (const shape of now.ground.read) draw.dotted(ink, fine(points(shape)).map(place));
  for (const shape of now.ground.ignore) draw.hatched(ink, fine(points(shape)).map(place));
}

/** What passes in front of it on this frame; `place` is the frame's own, without the map. */
export function passing(ink: Ink, place: Place, fix: Fix, draft: Draft | null, frame: number) {
  const now = wanted(fix, draft);
  const chosen = useBench.getState().passing;
  now?.ground.passing.forEach(({ keys }, k) => {
    const shape = keyedShape(keys, frame);
    if (shape) draw.hatched(ink, shape.map(place), k === chosen);
  });
}

/** Long sides in pieces, so that they bend with the surface. */
function fine(shape: Point[]): Point[] {
  return shape.flatMap((a, i) => {
    const b = shape[(i + 1) % shape.length]!;
    const pieces = Math.max(1, Math.ceil(Math.hypot(b.x - a.x, b.y - a.y) / 16));
    return Array.from({ length: pieces }, (_, k) => ({
      x: a.x + ((b.x - a.x) * k) / pieces,
      y: a.y + ((b.y - a.y) * k) / pieces,
    }));
  });
}

/** The windows of a point hold and how far it searches, on the anchor frame. */
export function windows(ink: Ink, place: Place, fix: Fix, draft: Draft | null) {
  const now = wanted(fix, draft);
  if (!now || !isPointed(now.method.kind)) return;
  for (const shape of now.ground.read) {
    const box = bounds(points(shape));
    draw.faintLine(ink, corners(searchBox(box, now.method.search)).map(place));
    for (const p of corners(box)) draw.node(ink, place(p), false);
  }
}

/** Lines or checks laid on the surface: what swims is seen at once. */
export function laid(ink: Ink, place: Place, hold: Hold, kind: Laid) {
  const box = bounds(hold.ground.read.flatMap(points));
  if (kind === "lines") {
    for (const x of run(box.left, box.right, LINE_STEP))
      draw.hairLine(
        ink,
        run(box.top, box.bottom, 6).map((y) => place({ x, y })),
      );
    for (const y of run(box.top, box.bottom, LINE_STEP))
      draw.hairLine(
        ink,
        run(box.left, box.right, 6).map((x) => place({ x, y })),
      );
  }
  if (kind !== "checker") return;
  run(box.top, box.bottom - CHECK / 2, CHECK).forEach((y, j) => {
    run(box.left, box.right - CHECK / 2, CHECK).forEach((x, i) => {
      quad(ink, place, x, y, CHECK);
      ink.fillStyle = (i + j) % 2 ? "rgba(255,255,255,.34)" : "rgba(0,0,0,.34)";
      ink.fill();
    });
  });
}

const run = (from: number, to: number, step: number) =>
  Array.from({ length: Math.floor((to - from) / step) + 1 }, (_, k) => from + k * step);

function quad(ink: Ink, place: Place, x: number, y: number, size: number) {
  ink.beginPath();
  [
    { x, y },
    { x: x + size, y },
    { x: x + size, y: y + size },
    { x, y: y + size },
  ].forEach((corner, k) => {
    const p = place(corner);
    if (k === 0) ink.moveTo(p.x, p.y);
    else ink.lineTo(p.x, p.y);
  });
  ink.closePath();
}

/** How far each part may be trusted on this frame, and which parts were used. */
export function trust(ink: Ink, place: Place, hold: Hold, held: Held) {
  held.cells.forEach((row, j) => {
    for (let i = 0; i < row.length; i++) {
      const code = row[i]!;
      if (code === ".") continue;
      quad(ink, place, hold.cells_left + i * hold.cell - 0.5, hold.cells_top + j * hold.cell - 0.5, hold.cell);
      if (code === "o" || Number(code) < USED) draw.hatchPath(ink);
      else {
        ink.fillStyle = TRUST[level(held.drift[j]?.[i])];
        ink.fill();
      }
    }
  });
}

/** Corners to drag, and the points of this frame's key. */
export function grips(ink: Ink, place: Place, hold: Hold, frame: number, withCorners: boolean) {
  if (withCorners) for (const corner of groundCorners(hold)) draw.node(ink, place(corner), false);
  for (const pin of hold.keys.find((key) => key.frame === frame)?.pins ?? [])
    draw.node(ink, place({ x: pin.still[0]!, y: pin.still[1]! }), true);
}

export function testLine(ink: Ink, place: Place, { a, b }: { a: Point; b: Point }) {
  const at = Array.from({ length: 49 }, (_, k) =>
    place({ x: a.x + ((b.x - a.x) * k) / 48, y: a.y + ((b.y - a.y) * k) / 48 }),
  );
  draw.chalk(ink, at);
}

export function mesh(ink: Ink, place: Place, hold: Hold) {
  const grid = hold.grid;
  if (!grid) return;
  const step = grid.spacing;
  const [right, bottom] = [grid.left + step * grid.across, grid.top + step * grid.down];
  for (let i = 0; i <= grid.across; i++)
    draw.hairLine(
      ink,
      steps(grid.top, bottom, step / 3).map((y) => place({ x: grid.left + i * step, y })),
    );
  for (let j = 0; j <= grid.down; j++)
    draw.hairLine(
      ink,
      steps(grid.left, right, step / 3).map((x) => place({ x, y: grid.top + j * step })),
    );
}

const steps = (from: number, to: number, step: number) =>
  Array.from({ length: Math.round((to - from) / step) + 1 }, (_, k) => from + k * step);
