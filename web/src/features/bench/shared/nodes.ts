import type { Node, Outline } from "../../../api/client";
import { keyedNodes, type PathNode } from "../../../geometry/path";
import type { Point } from "../../../geometry/points";

export const pathNodes = (nodes: Node[]): PathNode[] =>
  nodes.map((node) => ({
    x: node.x,
    y: node.y,
    into: { x: node.into?.[0] ?? 0, y: node.into?.[1] ?? 0 },
    out: { x: node.out?.[0] ?? 0, y: node.out?.[1] ?? 0 },
    soft: node.soft ?? 0,
  }));

const fine = (value: number) => Math.round(value * 100) / 100;

export const apiNodes = (nodes: PathNode[]): Node[] =>
  nodes.map((node) => ({
    x: fine(node.x),
    y: fine(node.y),
    into: [fine(node.into.x), fine(node.into.y)],
    out: [fine(node.out.x), fine(node.out.y)],
    soft: fine(node.soft ?? 0),
  }));

/** Corners of a drawn line, without curves. */
export const cornerNodes = (points: Point[]): Node[] =>
  apiNodes(points.map((p) => ({ ...p, into: { x: 0, y: 0 }, out: { x: 0, y: 0 } })));

/** An outline's points on a frame. */
export function outlineNodes(outline: Outline | undefined, frame: number): PathNode[] {
  if (!outline) return [];
  const keys = (outline.keys ?? []).map((key) => ({ frame: key.frame, nodes: pathNodes(key.nodes) }));
  return keys.length ? keyedNodes(keys, frame) : pathNodes(outline.nodes ?? []);
}

/** The outline with other points, on this frame alone if it is keyed or `keying`. */
export function withNodes(
  outline: Outline,
  nodes: PathNode[],
  frame: number,
  keying: boolean,
  anchor: number,
): Outline {
  const made = apiNodes(nodes);
  const keys = outline.keys ?? [];
  if (!keying && keys.length === 0) return { ...outline, nodes: made };
  const first = keys.length ? keys : frame === anchor ? [] : [{ frame: anchor, nodes: outline.nodes ?? [] }];
  const rest = first.filter((key) => key.frame !== frame);
  return { ...outline, nodes: null, keys: [...rest, { frame, nodes: made }].sort((a, b) => a.frame - b.frame) };
}
