import type { Point } from "../geometry/points";

/** How picture pixels lie on the screen: screen = pixel * scale + offset. */
export interface View {
  scale: number;
  x: number;
  y: number;
}

export interface Box {
  left: number;
  top: number;
  width: number;
  height: number;
}

export const toScreen = (view: View, p: Point): Point => ({
  x: p.x * view.scale + view.x,
  y: p.y * view.scale + view.y,
});
export const toPicture = (view: View, s: Point): Point => ({
  x: (s.x - view.x) / view.scale,
  y: (s.y - view.y) / view.scale,
});

/** The view that shows all of a box of picture pixels in a window. */
export function fitted(box: Box, width: number, height: number, margin = 0): View {
  const scale = Math.min((width - 2 * margin) / box.width, (height - 2 * margin) / box.height);
  return {
    scale,
    x: (width - box.width * scale) / 2 - (box.left - 0.5) * scale,
    y: (height - box.height * scale) / 2 - (box.top - 0.5) * scale,
  };
}

const SMALLEST = 0.1;
const LARGEST = 32;

/** Zoomed by a factor, the picture under `at` staying where it is. */
export function zoomed(view: View, by: number, at: Point): View {
  const scale = Math.min(LARGEST, Math.max(SMALLEST, view.scale * by));
  const k = scale / view.scale;
  return { scale, x: at.x - (at.x - view.x) * k, y: at.y - (at.y - view.y) * k };
}

export const panned = (view: View, dx: number, dy: number): View => ({ ...view, x: view.x + dx, y: view.y + dy });
