import type { Brush } from "../../../canvas/livestroke";
import type { Point } from "../../../geometry/points";

/** What a brush does; spots are healed on a click, their donor found by itself. */
export type BrushKind = "clone" | "heal" | "spots" | "paint" | "lighten" | "darken" | "smooth" | "sharpen" | "restore";
export type Band = "all" | "tone" | "texture";
export type SourceTool = "protect" | "moveStroke" | "weavePlace" | "softenTake";

/** Whether a brush lays what is at a donor. */
export const fromDonor = (kind: BrushKind) => kind === "clone" || kind === "heal";

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

export interface SourceSlice {
  brush: Brush;
  kind: BrushKind;
  manner: Manner;
  way: DonorWay;
  stroke: number | null;
  grainless: boolean;
  apart: { difference: number; lighter: number } | null;
  offset: Point | null;
  donor: Point | null;
}

export const sourceSlice: SourceSlice = {
  brush: { radius: 22, hardness: 0.4, opacity: 1 },
  kind: "clone",
  manner: { flow: 1, spacing: 0.25, pressure: "size", band: "all", scale: 6, amount: 0.3, colour: [0.2, 0.2, 0.2] },
  way: { turn: 0, zoom: 1, flip: false, source: "painted" },
  stroke: null,
  grainless: false,
  apart: null,
  offset: null,
  donor: null,
};
