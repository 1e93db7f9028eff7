import { inTurn } from "../../api/changes";
import { body, client, type Fix, type Shot } from "../../api/client";
import { fixNow, keepFix, keys, queries } from "../../api/queries";

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

/** Does it, once all that was asked for before has come through, on what is known then. */
export const takeStep = (way: "undo" | "redo", shot: number, fix: number | null): Promise<void> =>
  inTurn(() => one(way, shot, fix));

async function one(way: "undo" | "redo", id: number, fix: number | null) {
  const shot = queries.getQueryData<Shot>(keys.shot(id));
  const now = (fix !== null && fixNow(id, fix)) || null;
  const step = shot && nextStep(way, shot, now);
  if (step?.of === "fix" && now) {
    const params = { path: { fix: now.id } };
    const body_ = { version: now.version };
    keepFix(
      await body<Fix>(
        client.POST(way === "undo" ? "/api/fixes/{fix}/undo" : "/api/fixes/{fix}/redo", { params, body: body_ }),
      ),
    );
  }
  if (step?.of !== "shot") return;
  const params = { path: { shot: id } };
  const made = client.POST(way === "undo" ? "/api/shots/{shot}/undo" : "/api/shots/{shot}/redo", { params });
  queries.setQueryData(keys.shot(id), await body<Shot>(made));
  await queries.invalidateQueries({ queryKey: keys.fixes(id) });
}
