export type EdgeTool = "add" | "take" | "draw" | "front" | "behind" | "brushFront";

export interface EdgeSlice {
  outline: number;
  node: number | null;
  /** Which drawn shape in front is worked on. */
  front: number | null;
  keying: boolean;
  growth: number | null;
  softness: number | null;
  inside: number | null;
}

export const edgeSlice: EdgeSlice = {
  outline: 0,
  node: null,
  front: null,
  keying: false,
  growth: null,
  softness: null,
  inside: null,
};
