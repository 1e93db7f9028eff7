import { create } from "zustand";
import type { View } from "../../canvas/view";
import type { Point } from "../../geometry/points";

export type Tool = "look" | "pin" | "draw";

/** What is being written: where it is pinned and what is drawn for it. */
export interface Draft {
  frame: number;
  spot: Point | null;
  lines: Point[][];
}

interface Facts {
  frame: number;
  playing: boolean;
  side: string;
  other: string;
  split: boolean;
  /** Where the line stands, 0 to 1 across the picture. */
  line: number;
  tool: Tool;
  draft: Draft | null;
  note: number | null;
  view: View | null;
  dropped: number;
}

interface Review extends Facts {
  set: (part: Partial<Facts>) => void;
}

const fresh: Facts = {
  frame: 0,
  playing: false,
  side: "",
  other: "source",
  split: false,
  line: 0.5,
  tool: "look",
  draft: null,
  note: null,
  view: null,
  dropped: 0,
};

export const useReviewRoom = create<Review>((set) => ({ ...fresh, set }));

/** A shot is opened: nothing of the one before stays. */
export const openReview = (frame: number, side: string) => useReviewRoom.setState({ ...fresh, frame, side });

/** Go to a frame; what was being written for another one stays with that. */
export const goTo = (frame: number, note: number | null = null) =>
  useReviewRoom.setState({ frame, playing: false, note });
