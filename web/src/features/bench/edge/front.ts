import type { Node, Outline } from "../../../api/client";

/** A drawn shape of what is in front, in words. */
export function frontWords(one: Outline): string {
  const what = one.takes ? "Not in front" : "In front";
  if (one.width) return `${what}, brushed${one.span ? ` on ${one.span[0]}` : ""}`;
  const keys = one.keys ?? [];
  if (keys.length > 1) return `${what}, ${keys.length} keys, ${keys[0]!.frame} to ${keys[keys.length - 1]!.frame}`;
  return keys.length ? `${what} on ${keys[0]!.frame}` : what;
}

/**
 * Shapes with a loop drawn on a frame: a key of the chosen shape, in place of one that is there, or a shape of its own.
 * Which one it became is told, so that it can stay chosen. A shape is there from its first key to its last.
 */
export function withLoop(
  shapes: Outline[],
  chosen: number | null,
  frame: number,
  nodes: Node[],
  takes: boolean,
): { shapes: Outline[]; chosen: number } {
  const old = chosen === null ? undefined : shapes[chosen];
  const goes = old && !old.width && old.takes === takes ? chosen! : shapes.length;
  const before = goes < shapes.length ? (old!.keys ?? []).filter((key) => key.frame !== frame) : [];
  const keys = [...before, { frame, nodes }].sort((a, b) => a.frame - b.frame);
  const made: Outline = {
    nodes: null,
    keys,
    takes,
    width: null,
    span: [keys[0]!.frame, keys[keys.length - 1]!.frame],
  };
  return { shapes: [...shapes.slice(0, goes), made, ...shapes.slice(goes + 1)], chosen: goes };
}
