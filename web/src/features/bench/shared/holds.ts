import type { Fix, Hold, Shot } from "../../../api/client";
import type { Box } from "../../../canvas/view";
import { type HoldMap, identity, meshMap, planarMap } from "../../../geometry/holdmap";

export function mapOf(hold: Hold, frame: number, params: number[] | undefined): HoldMap | null {
  if (frame === hold.anchor) return identity;
  if (!params) return null;
  return hold.grid ? meshMap(hold.grid, params) : planarMap(params);
}

type HeldFrame = Hold["frames"][number];
const byFrame = new WeakMap<Hold["frames"], Map<number, HeldFrame>>();

/** What was measured on a frame, found at once in a long shot too. */
export function frameOf(hold: Hold, frame: number): HeldFrame | undefined {
  let known = byFrame.get(hold.frames);
  if (!known) {
    known = new Map(hold.frames.map((entry) => [entry.frame, entry]));
    byFrame.set(hold.frames, known);
  }
  return known.get(frame);
}

/** The hold that measured a frame: its map of that frame never changes. */
export const measuredBy = (hold: Hold, frame: number): number => frameOf(hold, frame)?.by ?? hold.id;

export const isOff = (fix: Fix, frame: number) =>
  fix.off.some(([first, last]) => frame >= (first ?? 0) && frame <= (last ?? 0));

export const isHeld = (hold: Hold, frame: number) => frame === hold.anchor || frameOf(hold, frame) !== undefined;

export const shotBox = (shot: Shot): Box => ({ left: 0, top: 0, width: shot.clip.width, height: shot.clip.height });

export const stillBox = (hold: Hold): Box => ({
  left: hold.still_left,
  top: hold.still_top,
  width: hold.still_width,
  height: hold.still_height,
});
