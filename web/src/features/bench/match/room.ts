import { client } from "../../../api/client";
import type { Point } from "../../../geometry/points";
import { isHeld } from "../shared/holds";
import { outlineNodes } from "../shared/nodes";
import { seen } from "../shared/seen";
import { useBench } from "../store";
import type { Given, Room } from "../viewer/room";

const SPLIT = 6; // px that part texture from tone, unless the fix says otherwise

/** Match on the pictures: the light as a picture, and a click that repairs texture. */
export function useMatchRoom({ fix, fixes, frame, change }: Given, open: boolean): Room {
  const { see, tool, outline, set } = useBench();

  /** A clean, sharp place for the plate's texture. */
  function repairFrom(at: Point) {
    if (!fix) return;
    const nodes = outlineNodes(fix.edge.outlines[outline], frame);
    const middle = (axis: "x" | "y") => nodes.reduce((sum, p) => sum + p[axis], 0) / Math.max(1, nodes.length);
    const offset: [number, number] = [Math.round(at.x - middle("x")), Math.round(at.y - middle("y"))];
    const match = { ...fix.match, repair: { offset, scale: fix.match.texture_scale ?? SPLIT, amount: 1 } };
    set({ tool: "look" });
    change.mutate(({ params, version }) =>
      client.PATCH("/api/fixes/{fix}/match", { params, body: { version, match } }),
    );
  }

  const known = !!fix?.hold && isHeld(fix.hold, frame);
  return {
    words: { repair: "Click a clean, sharp place in the Still view. Esc leaves." },
    down(space, press) {
      if (tool !== "repair" || space !== "still") return false;
      repairFrom(press.at);
      return true;
    },
    still: open && fix && known && !fix.lacks && see !== "picture" ? seen(fix, frame, fixes, see) : null,
  };
}
