import { client, type Fix, type Shot } from "../../api/client";
import { keys, queries } from "../../api/queries";
import { say } from "../../ui/messages";
import type { Change } from "./shared/panel";

export interface Step {
  of: "fix" | "shot";
  words: string;
}

/** What undo or redo would do: whichever came last, in the fix or in the shot as a whole. */
export function nextStep(way: "undo" | "redo", shot: Shot, fix: Fix | null): Step | null {
  const [ofShot, shotAt] = way === "undo" ? [shot.undo, shot.undo_at] : [shot.redo, shot.redo_at];
  const [ofFix, fixAt] = way === "undo" ? [fix?.undo, fix?.undo_at ?? 0] : [fix?.redo, fix?.redo_at ?? 0];
  if (ofShot && (!ofFix || shotAt > fixAt)) return { of: "shot", words: ofShot };
  return ofFix ? { of: "fix", words: ofFix } : null;
}

/** Does it; what the shot's step touches is asked for anew. */
export async function takeStep(way: "undo" | "redo", shot: Shot, fix: Fix | null, change: Change) {
  const step = nextStep(way, shot, fix);
  if (step?.of === "fix")
    change.mutate(({ params, version }) =>
      client.POST(way === "undo" ? "/api/fixes/{fix}/undo" : "/api/fixes/{fix}/redo", { params, body: { version } }),
    );
  if (step?.of !== "shot") return;
  const params = { path: { shot: shot.id } };
  try {
    await client.POST(way === "undo" ? "/api/shots/{shot}/undo" : "/api/shots/{shot}/redo", { params });
  } catch (problem) {
    say((problem as Error).message);
  }
  await queries.invalidateQueries({ queryKey: keys.shot(shot.id) });
  await queries.invalidateQueries({ queryKey: keys.fixes(shot.id) });
}
