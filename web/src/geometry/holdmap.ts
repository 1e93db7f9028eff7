import type { Point } from "./points";

/** A mesh's spline grid in anchor pixels; see hushcore/geometry/spline.py for the convention. */
export interface Grid {
  left: number;
  top: number;
  spacing: number;
  across: number;
  down: number;
}

/** From the still surface to a frame and back. */
export interface HoldMap {
  forward(p: Point): Point;
  inverse(p: Point): Point;
}

export const identity: HoldMap = { forward: (p) => p, inverse: (p) => p };

/** A homography given row by row. */
export function planarMap(m: number[]): HoldMap {
  return { forward: (p) => project(m, p), inverse: (p) => project(inverted(m), p) };
}

function project(m: number[], p: Point): Point {
  const w = m[6]! * p.x + m[7]! * p.y + m[8]!;
  return { x: (m[0]! * p.x + m[1]! * p.y + m[2]!) / w, y: (m[3]! * p.x + m[4]! * p.y + m[5]!) / w };
}

function inverted(m: number[]): number[] {
  const [a, b, c, d, e, f, g, h, i] = m as [number, number, number, number, number, number, number, number, number];
  return [
    e * i - f * h,
    c * h - b * i,
    b * f - c * e,
    f * g - d * i,
    a * i - c * g,
    c * d - a * f,
    d * h - e * g,
    b * g - a * h,
    a * e - b * d,
  ];
}

function weights(t: number): [number, number, number, number] {
  const s = 1 - t;
  return [(s * s * s) / 6, (4 + t * t * (3 * t - 6)) / 6, (4 + s * s * (3 * s - 6)) / 6, (t * t * t) / 6];
}

/** A cubic B-spline displacement; coefficients (rows, cols, x y) flattened. Beyond the grid the border cell goes on. */
export function meshMap(grid: Grid, c: number[]): HoldMap {
  const cols = grid.across + 3;
  const forward = (p: Point): Point => {
    const px = (p.x - grid.left) / grid.spacing;
    const py = (p.y - grid.top) / grid.spacing;
    const ix = Math.min(grid.across - 1, Math.max(0, Math.floor(px)));
    const iy = Math.min(grid.down - 1, Math.max(0, Math.floor(py)));
    const wx = weights(px - ix);
    const wy = weights(py - iy);
    let dx = 0;
    let dy = 0;
    for (let j = 0; j < 4; j++)
      for (let i = 0; i < 4; i++) {
        const w = wy[j]! * wx[i]!;
        const at = 2 * ((iy + j) * cols + ix + i);
        dx += w * c[at]!;
        dy += w * c[at + 1]!;
      }
    return { x: p.x + dx, y: p.y + dy };
  };
  const middle = { x: grid.left + (grid.spacing * grid.across) / 2, y: grid.top + (grid.spacing * grid.down) / 2 };
  return { forward, inverse: (p) => solve(forward, p, middle) };
}

const STEPS = 30;
const TINY = 1e-3; // px

/** Newton's method with a numeric derivative, from the place that a shift alone would give. */
function solve(forward: (p: Point) => Point, target: Point, middle: Point): Point {
  const shift = forward(middle);
  let at = { x: target.x - shift.x + middle.x, y: target.y - shift.y + middle.y };
  for (let step = 0; step < STEPS; step++) {
    const now = forward(at);
    const mx = target.x - now.x;
    const my = target.y - now.y;
    if (Math.hypot(mx, my) < TINY) break;
    const right = forward({ x: at.x + 0.5, y: at.y });
    const below = forward({ x: at.x, y: at.y + 0.5 });
    const a = 2 * (right.x - now.x);
    const c = 2 * (right.y - now.y);
    const b = 2 * (below.x - now.x);
    const d = 2 * (below.y - now.y);
    const det = Math.abs(a * d - b * c) < 0.05 ? 0.05 : a * d - b * c;
    const cap = (value: number) => Math.max(-24, Math.min(24, value));
    at = { x: at.x + cap((mx * d - my * b) / det), y: at.y + cap((my * a - mx * c) / det) };
  }
  return at;
}
