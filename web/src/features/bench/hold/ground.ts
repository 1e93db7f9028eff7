import { client, type Fix } from "../../../api/client";
import type { HoldMap } from "../../../geometry/holdmap";
import type { Point } from "../../../geometry/points";
import { shapeOf } from "../../../geometry/shapes";
import { say } from "../../../ui/messages";
import type { Change } from "../shared/panel";
import { useBench } from "../store";
import { isPointed, redraft, wanted } from "./draft";

const { getState: bench } = useBench;

/** Other ground, drawn on this frame: it becomes the anchor and is tracked at once. */
export function groundDrawn(fix: Fix, change: Change, drawn: Point[]) {
  if (!fix.hold) return;
  const { method, frame: anchor } = { ...wanted(fix, bench().draft)!, ...bench() };
  const kind = isPointed(method.kind) ? "mesh" : method.kind;
  bench().set({ tool: "look", draft: null });
  const ground = { anchor, read: [shapeOf(drawn)], ignore: [], passing: [], stands: [] };
  change.mutate(({ params, version }) =>
    client.POST("/api/fixes/{fix}/track", {
      params,
      body: { version, method: { ...method, kind }, way: "both", ground },
    }),
  );
}

/** A part of the surface that is read or ignored as well. */
export function partDrawn(fix: Fix, map: HoldMap | null, what: "read" | "ignore", drawn: Point[]) {
  if (!fix.hold) return;
  bench().set({ tool: "look" });
  if (!map) {
    say("The surface is not held on this frame; draw it on one where it is.");
    return;
  }
  const shape = shapeOf(drawn.map((p) => map.inverse(p)));
  redraft(fix, ({ ground }) => ({ ground: { ...ground, [what]: [...ground[what], shape] } }));
}

/** What passes in front lies in the frame: a key of the chosen shape, or a shape of its own. */
export function passingDrawn(fix: Fix, drawn: Point[]) {
  if (!fix.hold) return;
  const { frame, passing: chosen } = bench();
  bench().set({ tool: "look" });
  const key = { frame, polygon: shapeOf(drawn) };
  redraft(fix, ({ ground }) => {
    if (chosen === null || !ground.passing[chosen])
      return { ground: { ...ground, passing: [...ground.passing, { keys: [key] }] } };
    const passing = ground.passing.map(({ keys }, k) =>
      k === chosen
        ? { keys: [...keys.filter((one) => one.frame !== frame), key].sort((a, b) => a.frame - b.frame) }
        : { keys },
    );
    return { ground: { ...ground, passing } };
  });
  if (chosen === null) bench().set({ passing: wanted(fix, bench().draft)!.ground.passing.length - 1 });
}
