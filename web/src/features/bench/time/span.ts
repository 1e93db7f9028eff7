import { useEffect, useMemo } from "react";
import type { Shot } from "../../../api/client";
import { useBench } from "../store";
import type { Frames } from "./slice";

const LEAST = 12; // frames that the ruler shows at the closest

export const whole = ({ clip }: Shot): Frames => ({ first: clip.first, last: clip.last });
export const count = ({ first, last }: Frames) => last - first + 1;

/** Keeps a stretch within the shot, moved rather than cut. */
export function within({ first, last }: Frames, all: Frames): Frames {
  const length = Math.min(count(all), last - first + 1);
  const from = Math.min(Math.max(first, all.first), all.last - length + 1);
  return { first: from, last: from + length - 1 };
}

/** The stretch zoomed by a factor (under 1: closer) about a place in it, 0 at its left to 1 at its right. */
export function zoomed(span: Frames, factor: number, at: number, all: Frames): Frames {
  const length = count(span);
  const wanted = factor < 1 ? Math.floor(length * factor) : Math.ceil(length * factor);
  const next = Math.min(count(all), Math.max(Math.min(LEAST, count(all)), wanted));
  const held = span.first + at * length; // this place stays under the pointer
  const first = Math.round(held - at * next);
  return within({ first, last: first + next - 1 }, all);
}

export const moved = (span: Frames, by: number, all: Frames): Frames =>
  within({ first: span.first + by, last: span.last + by }, all);

/** The stretch that shows a frame: moved on by pages, as little as need be. */
export function showing(span: Frames, frame: number, all: Frames): Frames {
  if (frame >= span.first && frame <= span.last) return span;
  const length = count(span);
  return frame > span.last
    ? within({ first: frame - Math.floor(length * 0.1), last: frame + Math.ceil(length * 0.9) - 1 }, all)
    : within({ first: frame - Math.floor(length * 0.9), last: frame + Math.ceil(length * 0.1) - 1 }, all);
}

/** What the time bar shows: the zoomed stretch or all of the shot. */
export function useSpan(shot: Shot): Frames {
  const span = useBench((state) => state.span);
  const { first, last } = shot.clip;
  return useMemo(() => (span ? within(span, { first, last }) : { first, last }), [span, first, last]);
}

/** A frame that is gone to comes into view; looking elsewhere along time does not move the frame. */
export function useFollow(shot: Shot) {
  const frame = useBench((state) => state.frame);
  const { first, last } = shot.clip;
  useEffect(() => {
    const { span, set } = useBench.getState();
    if (!span) return;
    const next = showing(span, frame, { first, last });
    if (next !== span) set({ span: next });
  }, [frame, first, last]);
}

/** Zooms what the time bar shows; all of it again is no zoom at all. */
export function zoomTime(shot: Shot, factor: number, at?: number) {
  const { span, frame, set } = useBench.getState();
  const all = whole(shot);
  const now = span ?? all;
  const middle = Math.min(1, Math.max(0, (frame - now.first + 0.5) / count(now)));
  const next = zoomed(now, factor, at ?? middle, all);
  set({ span: count(next) === count(all) ? null : next });
}

/** Moves along time by a share of what is shown. */
export function panTime(shot: Shot, share: number) {
  const { span, set } = useBench.getState();
  if (!span) return;
  const by = Math.round(share * count(span)) || Math.sign(share);
  set({ span: moved(span, by, whole(shot)) });
}
