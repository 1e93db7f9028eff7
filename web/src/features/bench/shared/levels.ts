import type { Hold, TellRow } from "../../../api/client";

/** RMS of drift over the ground at which a careful artist looks twice, and at which it is likely off (px). */
export const NOTICEABLE = 1.4;
export const LOUD = 2.4;

export type Level = "quiet" | "noticeable" | "loud" | "none";

export function level(drift: number | undefined, lost = false): Level {
  if (lost) return "loud";
  if (drift === undefined) return "none";
  return drift >= LOUD ? "loud" : drift >= NOTICEABLE ? "noticeable" : "quiet";
}

export const running = (hold: Hold | null | undefined) => hold?.state === "waiting" || hold?.state === "tracking";

export interface Loudest {
  frame: number;
  drift: number;
  lost: boolean;
}

export function loudest(hold: Hold | null | undefined): Loudest | null {
  const frames = hold?.kind === "frame" ? [] : (hold?.frames ?? []); // there nothing can drift
  if (frames.length === 0) return null;
  return frames.reduce((a, b) => ((Number(b.lost) - Number(a.lost) || b.drift - a.drift) > 0 ? b : a));
}

export const TELLS = ["drift", "seam", "light", "texture", "grain", "flicker"] as const;
export type TellName = (typeof TELLS)[number];

/** Tells are 1.0 where a careful viewer would notice. */
export const tellLevel = (value: number | undefined): Level =>
  value === undefined ? "none" : value >= 2 ? "loud" : value >= 1 ? "noticeable" : "quiet";

/** The loudest tell of a frame. */
export const most = (row: TellRow) => Math.max(...TELLS.map((name) => row[name]));

/** The first frame after this one (round again) on which any of the fixes is not quiet, and the loudest of them there. */
export function nextOfAll(
  all: { fix: number; rows: TellRow[] }[],
  frame: number,
): { fix: number; frame: number } | null {
  const at = nextLoud(
    all.flatMap((one) => one.rows).sort((a, b) => a.frame - b.frame),
    frame,
  );
  if (at === null) return null;
  const there = all.flatMap(({ fix, rows }) => rows.filter((row) => row.frame === at).map((row) => ({ fix, row })));
  return { fix: there.reduce((a, b) => (most(b.row) > most(a.row) ? b : a)).fix, frame: at };
}

/** The first frame after this one (round again) on which some tell is not quiet. */
export function nextLoud(rows: TellRow[], frame: number): number | null {
  const loud = rows.filter((row) => TELLS.some((name) => row[name] >= 1)).map((row) => row.frame);
  return loud.find((at) => at > frame) ?? loud[0] ?? null;
}
