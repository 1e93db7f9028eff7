import type { Point } from "../../../geometry/points";

export type Compare = "source" | "patched" | "split" | "changes" | "stress";
export type Channel = "colour" | "r" | "g" | "b" | "a" | "luma" | "tone" | "texture" | "grain";

export interface Stress {
  exposure: number;
  gamma: number;
  saturation: number;
  posterise: number;
}

/** The dividing line of Split: a point in picture pixels and the way it runs, in degrees from upright. */
export interface Line {
  at: Point | null;
  angle: number;
}

/** What is looked at, and how. */
export interface CompareSlice {
  compare: Compare;
  channel: Channel;
  stress: Stress;
  line: Line;
}

export const compareSlice: CompareSlice = {
  compare: "patched",
  channel: "colour",
  stress: { exposure: 0, gamma: 1, saturation: 3, posterise: 0 },
  line: { at: null, angle: 0 },
};
