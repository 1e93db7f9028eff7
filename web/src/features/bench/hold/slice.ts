import type { Ground, Method } from "../../../api/client";
import type { Point } from "../../../geometry/points";

/** What is laid on the surface to judge a hold by. */
export type Laid = "mesh" | "lines" | "checker" | "trust" | "none";
export type HoldPart = "track" | "correct" | "ground" | "method";
export type Grab = "whole" | "corner" | "point";
export type HoldTool = "ground" | "read" | "ignore" | "passing" | "line";

/** Ground and method as the artist is changing them, until they are tracked. */
export interface Draft {
  fix: number;
  ground: Ground;
  method: Method;
}

export interface HoldSlice {
  holdPart: HoldPart;
  laid: Laid;
  sight: boolean;
  testLine: { a: Point; b: Point } | null;
  grab: Grab;
  reach: number;
  draft: Draft | null;
  passing: number | null;
}

export const holdSlice: HoldSlice = {
  holdPart: "track",
  laid: "mesh",
  sight: false,
  testLine: null,
  grab: "whole",
  reach: 80,
  draft: null,
  passing: null,
};
