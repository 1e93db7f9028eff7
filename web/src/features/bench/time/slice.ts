export type Round = "loop" | "bounce" | "once";

/** Frames from `first` to `last`, both within. */
export interface Frames {
  first: number;
  last: number;
}

/** The frame, the clock, and the stretch of time that is looked at. */
export interface TimeSlice {
  frame: number;
  playing: boolean;
  round: Round;
  range: Frames | null;
  speed: { measured: number; dropped: number } | null;
  /** The stretch that ruler, ribbons and strip show; null for all of the shot. */
  span: Frames | null;
}

export const timeSlice: TimeSlice = {
  frame: 0,
  playing: false,
  round: "loop",
  range: null,
  speed: null,
  span: null,
};
