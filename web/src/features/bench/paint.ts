import type { Hold } from "../../api/client";
import * as draw from "../../canvas/draw";
import type { LiveStroke } from "../../canvas/livestroke";
import { toScreen, type View } from "../../canvas/view";
import type { HoldMap } from "../../geometry/holdmap";
import { flatten, type PathNode } from "../../geometry/path";
import { add, type Point } from "../../geometry/points";
import type { PlateCanvas } from "./plate";

type Ink = CanvasRenderingContext2D;

/** From the still surface to the screen, through the frame's map in the Shot view. */
export type Place = (p: Point) => Point;

export const placer =
  (view: View, map: HoldMap | null): Place =>
  (p) =>
    toScreen(view, map ? map.forward(p) : p);

/** A picture at its place; `width` and `height` are what it stands for when it is a smaller proxy of it. */
export function picture(
  ink: Ink,
  view: View,
  source: CanvasImageSource,
  left: number,
  top: number,
  size = source as { width: number; height: number },
) {
  ink.imageSmoothingEnabled = view.scale < 2; // closer than 2:1 a pixel is a square of one colour
  ink.imageSmoothingQuality = "high";
  const at = toScreen(view, { x: left - 0.5, y: top - 0.5 });
  ink.drawImage(source, at.x, at.y, size.width * view.scale, size.height * view.scale);
}

export function edge(ink: Ink, place: Place, nodes: PathNode[], growth: number, softness: number) {
  const outline = flatten(nodes);
  if (outline.length < 3) return;
  draw.stitch(ink, outline.map(place));
  const reach = growth + softness;
  if (reach > 0.5) draw.faintLine(ink, grown(outline, reach).map(place));
}

/** The outline moved outwards; good for showing, the engine measures exact distances. */
function grown(outline: Point[], by: number): Point[] {
  let twice = 0;
  outline.forEach((p, i) => {
    const q = outline[(i + 1) % outline.length]!;
    twice += p.x * q.y - q.x * p.y;
  });
  const side = twice > 0 ? 1 : -1;
  return outline.map((p, i) => {
    const before = outline[(i + outline.length - 2) % outline.length]!;
    const after = outline[(i + 2) % outline.length]!;
    const [dx, dy] = [after.x - before.x, after.y - before.y];
    const length = Math.hypot(dx, dy) || 1;
    return { x: p.x + (side * by * dy) / length, y: p.y - (side * by * dx) / length };
  });
}

export function grips(ink: Ink, place: Place, nodes: PathNode[], chosen: number | null) {
  nodes.forEach((node, i) => {
    if (i === chosen)
      for (const end of [node.into, node.out])
        if (end.x !== 0 || end.y !== 0) draw.handle(ink, place(node), place(add(node, end)));
    draw.node(ink, place(node), i === chosen);
  });
}

export function mesh(ink: Ink, place: Place, hold: Hold) {
  const grid = hold.grid;
  if (!grid) return;
  const step = grid.spacing;
  const [right, bottom] = [grid.left + step * grid.across, grid.top + step * grid.down];
  for (let i = 0; i <= grid.across; i++)
    draw.hairLine(
      ink,
      run(grid.top, bottom, step / 3).map((y) => place({ x: grid.left + i * step, y })),
    );
  for (let j = 0; j <= grid.down; j++)
    draw.hairLine(
      ink,
      run(grid.left, right, step / 3).map((x) => place({ x, y: grid.top + j * step })),
    );
}

const run = (from: number, to: number, step: number) =>
  Array.from({ length: Math.round((to - from) / step) + 1 }, (_, k) => from + k * step);

/** The clone brush before and while it paints: the ring, what it will lay, and where it takes it from. */
export function brush(
  ink: Ink,
  view: View,
  at: Point,
  radius: number,
  offset: Point | null,
  plate: PlateCanvas,
  opacity: number,
) {
  const middle = toScreen(view, at);
  const size = radius * view.scale;
  if (offset) {
    ink.save();
    ink.beginPath();
    ink.arc(middle.x, middle.y, size, 0, 2 * Math.PI);
    ink.clip();
    ink.globalAlpha = opacity;
    picture(ink, view, plate.canvas, plate.left - offset.x, plate.top - offset.y);
    ink.restore();
    const donor = toScreen(view, add(at, offset));
    ink.setLineDash([3, 4]);
    ink.strokeStyle = "rgba(255,255,255,.8)";
    ink.lineWidth = 1;
    ink.beginPath();
    ink.moveTo(middle.x, middle.y);
    ink.lineTo(donor.x, donor.y);
    ink.stroke();
    draw.ring(ink, donor, size, true);
  }
  draw.ring(ink, middle, size);
}

export function live(ink: Ink, view: View, stroke: LiveStroke, plate: PlateCanvas) {
  picture(ink, view, stroke.canvas, plate.left, plate.top);
}

const LONG = 5000;
export const KNOB = 70; // screen px along the line to the knob that turns it

/** Cuts the canvas down to the side of the line on which the source shows. */
export function clipToSide(ink: Ink, middle: Point, angle: number) {
  const way = (angle * Math.PI) / 180;
  ink.translate(middle.x, middle.y);
  ink.rotate(way);
  ink.beginPath();
  ink.rect(-2 * LONG, -LONG, 2 * LONG, 2 * LONG);
  ink.rotate(-way);
  ink.translate(-middle.x, -middle.y);
  ink.clip();
}

/** Where the knob is, on the screen. */
export const knobOf = (middle: Point, angle: number): Point => ({
  x: middle.x + KNOB * Math.sin((angle * Math.PI) / 180),
  y: middle.y - KNOB * Math.cos((angle * Math.PI) / 180),
});

export function splitLine(ink: Ink, middle: Point, angle: number) {
  const knob = knobOf(middle, angle);
  const [dx, dy] = [(knob.x - middle.x) / KNOB, (knob.y - middle.y) / KNOB];
  for (const [colour, width] of [
    ["rgba(0,0,0,.6)", 3],
    ["#fff", 1.2],
  ] as const) {
    ink.beginPath();
    ink.moveTo(middle.x - dx * LONG, middle.y - dy * LONG);
    ink.lineTo(middle.x + dx * LONG, middle.y + dy * LONG);
    ink.strokeStyle = colour;
    ink.lineWidth = width;
    ink.stroke();
  }
  draw.ring(ink, middle, 5);
  draw.ring(ink, knob, 4);
}

export { cross, loop, ring } from "../../canvas/draw";
