import { add, distance, type Point, scaled, sub } from "./points";

/** A closed path's point with its handles, relative to it. */
export interface PathNode {
  x: number;
  y: number;
  into: Point;
  out: Point;
  /** px of softness of its own, outside. */
  soft?: number;
}

export type Grip = { kind: "node" | "into" | "out"; index: number };

const PIECES = 16;

/** The four control points of segment i (from node i to the next). */
export function segment(nodes: PathNode[], i: number): [Point, Point, Point, Point] {
  const a = nodes[i]!;
  const d = nodes[(i + 1) % nodes.length]!;
  return [a, add(a, a.out), add(d, d.into), d];
}

export function onCubic([a, b, c, d]: [Point, Point, Point, Point], t: number): Point {
  const s = 1 - t;
  const [wa, wb, wc, wd] = [s * s * s, 3 * s * s * t, 3 * s * t * t, t * t * t];
  return { x: wa * a.x + wb * b.x + wc * c.x + wd * d.x, y: wa * a.y + wb * b.y + wc * c.y + wd * d.y };
}

/** The outline as a polygon, for drawing. */
export function flatten(nodes: PathNode[]): Point[] {
  if (nodes.length < 2) return nodes;
  return nodes.flatMap((_, i) => Array.from({ length: PIECES }, (_, k) => onCubic(segment(nodes, i), k / PIECES)));
}

/** The node or handle within `reach` of p. Handles count only for the chosen node. */
export function gripAt(nodes: PathNode[], p: Point, reach: number, chosen: number | null): Grip | null {
  const near = (q: Point) => distance(p, q) <= reach;
  if (chosen !== null && nodes[chosen]) {
    const node = nodes[chosen];
    for (const kind of ["into", "out"] as const)
      if (Math.hypot(node[kind].x, node[kind].y) > 0 && near(add(node, node[kind]))) return { kind, index: chosen };
  }
  const index = nodes.findIndex(near);
  return index < 0 ? null : { kind: "node", index };
}

/** The nodes with a grip moved to p. A handle keeps its partner in line, unless it is broken off. */
export function moved(nodes: PathNode[], grip: Grip, p: Point, broken: boolean): PathNode[] {
  return nodes.map((node, i) => {
    if (i !== grip.index) return node;
    if (grip.kind === "node") return { ...node, x: p.x, y: p.y };
    const handle = sub(p, node);
    const other = grip.kind === "into" ? "out" : "into";
    const length = Math.hypot(node[other].x, node[other].y);
    const own = Math.hypot(handle.x, handle.y);
    const opposite = broken || own === 0 ? node[other] : scaled(handle, -length / own);
    return { ...node, [grip.kind]: handle, [other]: opposite };
  });
}

/** Where a path is nearest to p: the segment, the parameter and how far. */
export function nearest(nodes: PathNode[], p: Point): { index: number; t: number; far: number } {
  let best = { index: 0, t: 0, far: Number.POSITIVE_INFINITY };
  nodes.forEach((_, index) => {
    for (let k = 0; k <= 40; k++) {
      const far = distance(p, onCubic(segment(nodes, index), k / 40));
      if (far < best.far) best = { index, t: k / 40, far };
    }
  });
  return best;
}

/** A point added on segment `index` at t without changing the outline (de Casteljau). */
export function split(nodes: PathNode[], index: number, t: number): PathNode[] {
  const [a, b, c, d] = segment(nodes, index);
  const mix = (p: Point, q: Point) => add(p, scaled(sub(q, p), t));
  const [ab, bc, cd] = [mix(a, b), mix(b, c), mix(c, d)];
  const [abc, bcd] = [mix(ab, bc), mix(bc, cd)];
  const at = mix(abc, bcd);
  const next = (index + 1) % nodes.length;
  const out = nodes.map((node, i) => {
    let kept = node;
    if (i === index) kept = { ...kept, out: sub(ab, a) };
    if (i === next) kept = { ...kept, into: sub(cd, d) };
    return kept;
  });
  out.splice(index + 1, 0, { x: at.x, y: at.y, into: sub(abc, at), out: sub(bcd, at) });
  return out;
}

/** An outline's points on a frame: evenly between keys, held before the first and after the last (as the engine does). */
export function keyedNodes(keys: { frame: number; nodes: PathNode[] }[], frame: number): PathNode[] {
  const after = keys.findIndex((key) => key.frame >= frame);
  if (after <= 0) return keys[after === 0 ? 0 : keys.length - 1]!.nodes;
  const [a, b] = [keys[after - 1]!, keys[after]!];
  const share = (frame - a.frame) / (b.frame - a.frame);
  const mix = (p: Point, q: Point) => add(p, scaled(sub(q, p), share));
  return a.nodes.map((node, i) => {
    const other = b.nodes[i] ?? node;
    return {
      ...mix(node, other),
      into: mix(node.into, other.into),
      out: mix(node.out, other.out),
      soft: (node.soft ?? 0) * (1 - share) + (other.soft ?? 0) * share,
    };
  });
}
