import { create } from "zustand";
import type { Ground, Method } from "../../api/client";
import type { Brush } from "../../canvas/livestroke";
import type { View } from "../../canvas/view";
import type { Point } from "../../geometry/points";

export type Stage = "hold" | "edge" | "source" | "match" | "check";
export type Space = "shot" | "still";
export type Compare = "source" | "patched" | "split" | "changes" | "stress";
export type Channel = "colour" | "r" | "g" | "b" | "a" | "luma" | "tone" | "texture" | "grain";
export type Round = "loop" | "bounce" | "once";

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
/** What the pointer does on the picture. */
export type Tool =
  | "look"
  | "circle"
  | "ground"
  | "read"
  | "ignore"
  | "passing"
  | "line"
  | "add"
  | "take"
  | "draw"
  | "front"
  | "behind"
  | "brushFront"
  | "protect"
  | "moveStroke"
  | "repair";
/** What a brush does; spots are healed on a click, their donor found by itself. */
export type BrushKind = "clone" | "heal" | "spots" | "paint" | "lighten" | "darken" | "smooth" | "sharpen" | "restore";
export type Band = "all" | "tone" | "texture";
/** What the Still view shows of a frame. */
export type See = "picture" | "light" | "matte" | "front";

/** How a brush lays, beyond its size; kept for all brushes alike. */
export interface Manner {
  flow: number;
  spacing: number;
  pressure: "size" | "opacity" | "both" | "none";
  band: Band;
  scale: number;
  amount: number;
  colour: [number, number, number];
}

/** Where clone and heal take from, beside the offset. */
export interface DonorWay {
  turn: number;
  zoom: number;
  flip: boolean;
  source: "painted" | "plate" | number;
}
/** What is laid on the surface to judge a hold by. */
export type Laid = "mesh" | "lines" | "checker" | "trust" | "none";
export type HoldPart = "track" | "correct" | "ground" | "method";
export type Grab = "whole" | "corner" | "point";

/** Ground and method as the artist is changing them, until they are tracked. */
export interface Draft {
  fix: number;
  ground: Ground;
  method: Method;
}

interface Bench {
  fix: number | null;
  frame: number;
  stage: Stage | null;
  main: Space;
  compare: Compare;
  channel: Channel;
  stress: Stress;
  line: Line;
  round: Round;
  range: { first: number; last: number } | null;
  before: boolean;
  hidden: boolean;
  tool: Tool;
  playing: boolean;
  speed: { measured: number; dropped: number } | null;
  views: Record<Space, View | null>;
  sizes: Record<Space, { width: number; height: number }>;
  pointer: { space: Space; at: Point } | null;
  node: number | null;
  holdPart: HoldPart;
  laid: Laid;
  sight: boolean;
  testLine: { a: Point; b: Point } | null;
  grab: Grab;
  reach: number;
  draft: Draft | null;
  passing: number | null;
  brush: Brush;
  kind: BrushKind;
  manner: Manner;
  way: DonorWay;
  stroke: number | null;
  outline: number;
  /** Which drawn shape in front is worked on. */
  front: number | null;
  keying: boolean;
  see: See;
  grainless: boolean;
  apart: { difference: number; lighter: number } | null;
  offset: Point | null;
  donor: Point | null;
  growth: number | null;
  softness: number | null;
  inside: number | null;
  set: (part: Partial<Bench>) => void;
  view: (space: Space, view: View | null) => void;
}

const fresh = {
  fix: null,
  frame: 0,
  stage: "hold" as Stage | null,
  main: "shot" as Space,
  compare: "patched" as Compare,
  channel: "colour" as Channel,
  stress: { exposure: 0, gamma: 1, saturation: 3, posterise: 0 },
  line: { at: null, angle: 0 },
  round: "loop" as Round,
  range: null,
  before: false,
  hidden: false,
  tool: "look" as Tool,
  playing: false,
  speed: null,
  views: { shot: null, still: null } as Record<Space, View | null>,
  sizes: { shot: { width: 1, height: 1 }, still: { width: 1, height: 1 } },
  pointer: null,
  node: null,
  holdPart: "track" as HoldPart,
  laid: "mesh" as Laid,
  sight: false,
  testLine: null,
  grab: "whole" as Grab,
  reach: 80,
  draft: null,
  passing: null,
  brush: { radius: 22, hardness: 0.4, opacity: 1 },
  kind: "clone" as BrushKind,
  manner: {
    flow: 1,
    spacing: 0.25,
    pressure: "size",
    band: "all",
    scale: 6,
    amount: 0.3,
    colour: [0.2, 0.2, 0.2],
  } as Manner,
  way: { turn: 0, zoom: 1, flip: false, source: "painted" } as DonorWay,
  stroke: null,
  outline: 0,
  front: null,
  keying: false,
  see: "picture" as See,
  grainless: false,
  apart: null,
  offset: null,
  donor: null,
  growth: null,
  softness: null,
  inside: null,
};

/** What is chosen within a fix, and means nothing in another. */
const within = { node: null, outline: 0, front: null, stroke: null, passing: null };

export const useBench = create<Bench>((set) => ({
  ...fresh,
  set: (part) => set((state) => (part.fix !== undefined && part.fix !== state.fix ? { ...within, ...part } : part)),
  view: (space, view) => set((state) => ({ views: { ...state.views, [space]: view } })),
}));

/** A new shot starts from its own beginning. */
export const openShot = (frame: number) => useBench.setState({ ...fresh, frame });
