import type { View } from "../../../canvas/view";
import type { Point } from "../../../geometry/points";

export type Space = "shot" | "still";
/** What the Still view shows of a frame. */
export type See = "picture" | "light" | "matte" | "front";
export type Corner = "top-left" | "top-right" | "bottom-left" | "bottom-right";

/** The two pictures and what is over them. */
export interface ViewSlice {
  main: Space;
  views: Record<Space, View | null>;
  sizes: Record<Space, { width: number; height: number }>;
  pointer: { space: Space; at: Point } | null;
  before: boolean;
  hidden: boolean;
  see: See;
  /** Where the inset was put; null while it steps aside from the mark by itself. */
  inset: Corner | null;
}

export const viewSlice: ViewSlice = {
  main: "shot",
  views: { shot: null, still: null },
  sizes: { shot: { width: 1, height: 1 }, still: { width: 1, height: 1 } },
  pointer: null,
  before: false,
  hidden: false,
  see: "picture",
  inset: null,
};
