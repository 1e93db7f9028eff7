import type { Fix, Hold } from "../../api/client";
import * as draw from "../../canvas/draw";
import type { LiveStroke } from "../../canvas/livestroke";
import { toScreen, type View } from "../../canvas/view";
import type { HoldMap } from "../../geometry/holdmap";
import { flatten, type PathNode } from "../../geometry/path";
import { add, type Point } from "../../geometry/points";
import { outlineNodes } from "./model";
import type { PlateCanvas } from "./plate";
import type { DonorWay } from "./store";

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

/** An outline as a running stitch, or faint where another one is worked on; an open line is not closed. */
export function outline(ink: Ink, place: Place, nodes: PathNode[], width: number | null, faint: boolean) {
  const whole = flatten(nodes);
  const line =
    width === null ? whole : whole.slice(0, Math.max(2, (whole.length * (nodes.length - 1)) / nodes.length + 1));
  if (line.length < 2) return;
  if (faint) draw.faintLine(ink, line.map(place));
  else draw.stitch(ink, line.map(place), width === null);
}

/** Where the patch is full, and where it ends. */
export function extent(ink: Ink, place: Place, full: number[][][], ends: number[][][]) {
  for (const [lines, strong] of [
    [full, true],
    [ends, false],
  ] as const)
    for (const line of lines) {
      ink.save();
      ink.setLineDash(strong ? [] : [2, 4]);
      ink.strokeStyle = strong ? "rgba(185,168,242,.8)" : "rgba(233,233,230,.65)";
      ink.lineWidth = 1;
      ink.beginPath();
      line.forEach(([x, y], i) => {
        const p = place({ x: x!, y: y! });
        if (i === 0) ink.moveTo(p.x, p.y);
        else ink.lineTo(p.x, p.y);
      });
      ink.closePath();
      ink.stroke();
      ink.restore();
    }
}

/** Artwork's frame with its corners. */
export function art(ink: Ink, place: Place, corners: Point[]) {
  draw.faintLine(ink, [...corners, corners[0]!].map(place));
  for (const corner of corners) draw.node(ink, place(corner), false);
}

/** What was drawn to be in front (hatched strongly) or not, on this frame. */
export function drawnFront(ink: Ink, place: Place, fix: Fix, frame: number) {
  for (const shape of fix.front.shapes ?? []) {
    if (shape.span && (frame < (shape.span[0] ?? 0) || frame > (shape.span[1] ?? 0))) continue;
    const nodes = outlineNodes(shape, frame);
    if (shape.width) outline(ink, place, nodes, shape.width, false);
    else draw.hatched(ink, flatten(nodes).map(place), !shape.takes);
  }
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
  apart: { difference: number; lighter: number } | null = null,
  way: DonorWay = { turn: 0, zoom: 1, flip: false, source: "painted" },
  other: { bitmap: ImageBitmap; left: number; top: number } | null = null,
) {
  const middle = toScreen(view, at);
  const size = radius * view.scale;
  if (offset) {
    ink.save();
    ink.beginPath();
    ink.arc(middle.x, middle.y, size, 0, 2 * Math.PI);
    ink.clip();
    ink.globalAlpha = opacity;
    const laid = typeof way.source === "number" && other ? other : { bitmap: plate.canvas, ...plate };
    ink.translate(middle.x, middle.y);
    ink.scale(way.flip ? -way.zoom : way.zoom, way.zoom);
    ink.rotate((way.turn * Math.PI) / 180);
    ink.translate(-middle.x, -middle.y);
    picture(ink, view, laid.bitmap, laid.left - offset.x, laid.top - offset.y);
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
    if (apart) toneTag(ink, { x: donor.x + size + 4, y: donor.y }, apart);
  }
  draw.ring(ink, middle, size);
}

/** How far the donor's tone is off, beside its ring. */
function toneTag(ink: Ink, at: Point, apart: { difference: number; lighter: number }) {
  const words = `${apart.difference.toFixed(1)}${apart.difference >= 1 ? (apart.lighter > 0 ? " lighter" : " darker") : ""}`;
  ink.font = "11px 'Spline Sans Mono Variable', monospace";
  const wide = ink.measureText(words).width;
  ink.fillStyle = "rgba(30,30,30,.85)";
  ink.fillRect(at.x, at.y - 8, wide + 8, 16);
  ink.fillStyle = apart.difference >= 4 ? "#e2603d" : apart.difference >= 2 ? "#e0a13c" : "#b0b0ad";
  ink.fillText(words, at.x + 4, at.y + 4);
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
