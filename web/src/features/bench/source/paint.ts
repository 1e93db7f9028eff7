import * as draw from "../../../canvas/draw";
import type { LiveStroke } from "../../../canvas/livestroke";
import { toScreen, type View } from "../../../canvas/view";
import { add, type Point } from "../../../geometry/points";
import { type Place, picture } from "../viewer/paint";
import type { PlateCanvas } from "./plate";
import type { DonorWay } from "./slice";

type Ink = CanvasRenderingContext2D;

/** Artwork's frame with its corners. */
export function art(ink: Ink, place: Place, corners: Point[]) {
  draw.faintLine(ink, [...corners, corners[0]!].map(place));
  for (const corner of corners) draw.node(ink, place(corner), false);
}

/** Artwork as it is laid, within its frame: over the plate, which does not hold it. */
export function laidArt(
  ink: Ink,
  view: View,
  laid: ImageBitmap,
  hold: { still_left: number; still_top: number },
  corners: Point[],
) {
  ink.save();
  ink.beginPath();
  for (const corner of corners) {
    const at = toScreen(view, corner);
    ink.lineTo(at.x, at.y);
  }
  ink.clip();
  picture(ink, view, laid, hold.still_left, hold.still_top);
  ink.restore();
}

const HEAD = 9; // screen px of an arrow's head

/** The arrow along which a fill is pulled; its tip is dragged. */
export function arrow(ink: Ink, place: Place, from: Point, to: Point) {
  const [a, b] = [place(from), place(to)];
  const way = Math.atan2(b.y - a.y, b.x - a.x);
  draw.chalk(ink, [a, b]);
  for (const turn of [2.6, -2.6]) {
    const wing = { x: b.x + HEAD * Math.cos(way + turn), y: b.y + HEAD * Math.sin(way + turn) };
    draw.chalk(ink, [b, wing]);
  }
  draw.node(ink, b, true);
}

/** The place that is borrowed, and the way from it to the mark. */
export function donor(ink: Ink, place: Place, points: Point[], middle: Point) {
  const shown = points.map(place);
  draw.stitch(ink, shown);
  const centre = { x: 0, y: 0 };
  for (const p of shown) {
    centre.x += p.x / shown.length;
    centre.y += p.y / shown.length;
  }
  draw.dotted(ink, [place(middle), centre]);
}

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

export const plate = (ink: Ink, view: View, made: PlateCanvas) => picture(ink, view, made.canvas, made.left, made.top);

export function live(ink: Ink, view: View, stroke: LiveStroke, plate: PlateCanvas) {
  picture(ink, view, stroke.canvas, plate.left, plate.top);
}
