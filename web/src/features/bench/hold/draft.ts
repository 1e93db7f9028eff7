import type { Fix, Ground, Hold, Method } from "../../../api/client";
import type { Point } from "../../../geometry/points";
import { around, bounds, corners, points, shapeOf } from "../../../geometry/shapes";
import { useBench } from "../store";
import type { Draft } from "./slice";

export type Kind = Method["kind"];

export const KINDS: { value: Kind; words: string; tip: string }[] = [
  {
    value: "auto",
    words: "Auto",
    tip: "Tries a plane, a stiff mesh and a soft one, and takes the plainest that fits.",
  },
  { value: "point", words: "Point", tip: "One place: a shift. A small window, fast, for large jumps." },
  { value: "two-point", words: "Two", tip: "Two places: shift, turn and scale." },
  { value: "planar", words: "Planar", tip: "A flat surface, with as much freedom as the method gives it." },
  { value: "mesh", words: "Mesh", tip: "A surface that bends: cloth, skin, curves." },
];

export const isPointed = (kind: string) => kind === "point" || kind === "two-point";

/** Ground and method as they would be tracked now. */
export function wanted(fix: Fix, draft: Draft | null): { ground: Ground; method: Method } | null {
  if (draft && draft.fix === fix.id) return draft;
  return fix.hold && { ground: fix.hold.ground, method: fix.hold.method };
}

export const isChanged = (fix: Fix, draft: Draft | null) => draft !== null && draft.fix === fix.id;

/** Changes the draft; it is only used when it is tracked. */
export function redraft(fix: Fix, change: (now: { ground: Ground; method: Method }) => Partial<Draft>) {
  const { draft, set } = useBench.getState();
  const now = wanted(fix, draft);
  if (now) set({ draft: { fix: fix.id, ground: now.ground, method: now.method, ...change(now) } });
}

/** What auto took, in words. */
export const TOOK: Record<NonNullable<Method["took"]>, string> = {
  "": "",
  plane: "a plane",
  stiff: "a stiff mesh",
  cloth: "a soft mesh",
};

const POINT_HALF = 24; // px of half a window's side
const LEAST_GROUND = 26; // px round the mark

/** Another kind, with a ground that it can be measured on. */
export function withKind(fix: Fix, now: { ground: Ground; method: Method }, kind: Kind): Partial<Draft> {
  const method: Method = { ...now.method, kind, took: "" };
  if (kind === now.method.kind) return { method };
  const box = bounds(now.ground.read.flatMap(points));
  const middle = { x: (box.left + box.right) / 2, y: (box.top + box.bottom) / 2 };
  if (isPointed(kind)) {
    const wide = (box.right - box.left) / 4;
    const places = kind === "point" ? [middle] : [-1, 1].map((side) => ({ x: middle.x + side * wide, y: middle.y }));
    const read = places.map((place) => shapeOf(corners(around(place, POINT_HALF))));
    return { method, ground: { ...now.ground, read } };
  }
  if (!isPointed(now.method.kind)) return { method };
  return { method, ground: { ...now.ground, read: [surroundings(fix, box)] } };
}

/** The mark and some of the surface round it. */
function surroundings(fix: Fix, otherwise: ReturnType<typeof bounds>): [number, number][] {
  const nodes: Point[] = fix.edge.nodes;
  const box = nodes.length > 2 ? bounds(nodes) : otherwise;
  const grown = {
    left: box.left - LEAST_GROUND,
    top: box.top - LEAST_GROUND,
    right: box.right + LEAST_GROUND,
    bottom: box.bottom + LEAST_GROUND,
  };
  return shapeOf(corners(grown));
}

/** The corners by which a plane is dragged, still px. */
export const groundCorners = (hold: Hold): Point[] => corners(bounds(hold.ground.read.flatMap(points)));
