import * as draw from "../../../canvas/draw";
import { toScreen, type View } from "../../../canvas/view";
import type { HoldMap } from "../../../geometry/holdmap";
import { flatten, type PathNode } from "../../../geometry/path";
import type { Point } from "../../../geometry/points";

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

export { cross, loop, ring } from "../../../canvas/draw";
