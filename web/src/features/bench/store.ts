import { create } from "zustand";
import type { View } from "../../canvas/view";
import { type CompareSlice, compareSlice } from "./compare/slice";
import { type EdgeSlice, type EdgeTool, edgeSlice } from "./edge/slice";
import { type HoldSlice, type HoldTool, holdSlice } from "./hold/slice";
import { type NotesSlice, notesSlice } from "./notes/slice";
import { type SourceSlice, type SourceTool, sourceSlice } from "./source/slice";
import { type TimeSlice, timeSlice } from "./time/slice";
import { type Space, type ViewSlice, viewSlice } from "./viewer/slice";

export type Stage = "hold" | "edge" | "source" | "match" | "check";
/** What the pointer does on the picture: each but `look` belongs to a room. */
export type Tool = "look" | "circle" | "repair" | HoldTool | EdgeTool | SourceTool;

interface Chosen {
  fix: number | null;
  stage: Stage | null;
  tool: Tool;
}
type Facts = Chosen & TimeSlice & ViewSlice & CompareSlice & HoldSlice & EdgeSlice & SourceSlice & NotesSlice;

export interface Bench extends Facts {
  set: (part: Partial<Facts>) => void;
  view: (space: Space, view: View | null) => void;
}

const fresh: Facts = {
  fix: null,
  stage: "hold",
  tool: "look",
  ...timeSlice,
  ...viewSlice,
  ...compareSlice,
  ...holdSlice,
  ...edgeSlice,
  ...sourceSlice,
  ...notesSlice,
};

/** What is chosen within a fix, and means nothing in another. */
const within: Partial<Facts> = { node: null, outline: 0, front: null, stroke: null, passing: null };

export const useBench = create<Bench>((set) => ({
  ...fresh,
  set: (part) => set((state) => (part.fix !== undefined && part.fix !== state.fix ? { ...within, ...part } : part)),
  view: (space, view) => set((state) => ({ views: { ...state.views, [space]: view } })),
}));

/** A new shot starts from its own beginning. */
export const openShot = (frame: number) => useBench.setState({ ...fresh, frame });
