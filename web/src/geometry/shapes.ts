import { distance, type Point } from "./points";

export interface Bounds {
  left: number;
  top: number;
  right: number;
  bottom: number;
}

export const points = (shape: number[][]): Point[] => shape.map(([x, y]) => ({ x: x!, y: y! }));

export function bounds(of: Point[]): Bounds {
  const xs = of.map((p) => p.x);
  const ys = of.map((p) => p.y);
  return { left: Math.min(...xs), top: Math.min(...ys), right: Math.max(...xs), bottom: Math.max(...ys) };
}

export const corners = ({ left, top, right, bottom }: Bounds): Point[] => [
  { x: left, y: top },
  { x: right, y: top },
  { x: right, y: bottom },
  { x: left, y: bottom },
];

export const around = (p: Point, half: number): Bounds => ({
  left: p.x - half,
  top: p.y - half,
  right: p.x + half,
  bottom: p.y + half,
});

export const shapeOf = (of: Point[]): [number, number][] =>
  of.map((p) => [Math.round(p.x * 100) / 100, Math.round(p.y * 100) / 100]);

export function inside(shape: Point[], p: Point): boolean {
  let odd = false;
  shape.forEach((a, i) => {
    const b = shape[(i + 1) % shape.length]!;
    if (a.y > p.y !== b.y > p.y && p.x < ((b.x - a.x) * (p.y - a.y)) / (b.y - a.y) + a.x) odd = !odd;
  });
  return odd;
}

const FACETS = 64;

/** A polygon as evenly spaced points along its outline. */
export function evenly(shape: Point[], count = FACETS): Point[] {
  const closed = [...shape, shape[0]!];
  const along = [0];
  for (let k = 1; k < closed.length; k++) along.push(along[k - 1]! + distance(closed[k - 1]!, closed[k]!));
  const total = along[along.length - 1]!;
  let k = 0;
  return Array.from({ length: count }, (_, i) => {
    const at = (total * i) / count;
    while (k < along.length - 2 && along[k + 1]! < at) k++;
    const part = (at - along[k]!) / Math.max(1e-9, along[k + 1]! - along[k]!);
    const [a, b] = [closed[k]!, closed[k + 1]!];
    return { x: a.x + part * (b.x - a.x), y: a.y + part * (b.y - a.y) };
  });
}

const middle = (shape: Point[]): Point => ({
  x: shape.reduce((sum, p) => sum + p.x, 0) / shape.length,
  y: shape.reduce((sum, p) => sum + p.y, 0) / shape.length,
});

/** `other` begun, and run the way round, that fits `one` best when both are centred. */
function matched(one: Point[], other: Point[]): Point[] {
  const [a, b] = [middle(one), middle(other)];
  let best = other;
  let least = Number.POSITIVE_INFINITY;
  for (const way of [other, [...other].reverse()])
    for (let shift = 0; shift < way.length; shift++) {
      const turned = [...way.slice(way.length - shift), ...way.slice(0, way.length - shift)];
      const far = turned.reduce(
        (sum, p, k) => sum + (p.x - b.x - one[k]!.x + a.x) ** 2 + (p.y - b.y - one[k]!.y + a.y) ** 2,
        0,
      );
      if (far < least) [least, best] = [far, turned];
    }
  return best;
}

export interface ShapeKey {
  frame: number;
  polygon: number[][];
}

/** A keyed shape on a frame, as hushcore/hold/still.py has it; null when it is not there. */
export function keyedShape(keys: ShapeKey[], frame: number): Point[] | null {
  if (keys.length === 1) return points(keys[0]!.polygon);
  const after = keys.findIndex((key) => key.frame >= frame);
  if (after < 0 || (after === 0 && keys[0]!.frame > frame)) return null;
  if (keys[after]!.frame === frame) return points(keys[after]!.polygon);
  const [early, late] = [keys[after - 1]!, keys[after]!];
  const part = (frame - early.frame) / (late.frame - early.frame);
  const from = evenly(points(early.polygon));
  const to = matched(from, evenly(points(late.polygon)));
  return from.map((p, k) => ({ x: p.x + part * (to[k]!.x - p.x), y: p.y + part * (to[k]!.y - p.y) }));
}

const RING_POINTS = 24;

/**
 * A drawn loop as a ring of `RING_POINTS` points that begins at the top and runs clockwise, so that the same points of
 * two such rings belong together.
 */
export function ringOf(loop: Point[]): Point[] {
  const ring = evenly(loop, RING_POINTS);
  let twice = 0;
  ring.forEach((p, i) => {
    const q = ring[(i + 1) % ring.length]!;
    twice += p.x * q.y - q.x * p.y;
  });
  const clockwise = twice >= 0 ? ring : [...ring].reverse();
  const top = clockwise.reduce((best, p, i) => (p.y < clockwise[best]!.y ? i : best), 0);
  return [...clockwise.slice(top), ...clockwise.slice(0, top)];
}

/** A drawn line with points at least `step` px apart; its ends stay. */
export function simplified(line: Point[], step: number): Point[] {
  const kept = [line[0]!];
  for (const p of line) if (distance(kept[kept.length - 1]!, p) >= step) kept.push(p);
  const last = line[line.length - 1]!;
  if (kept.length < 2 || distance(kept[kept.length - 1]!, last) > 0.5) kept.push(last);
  return kept;
}
