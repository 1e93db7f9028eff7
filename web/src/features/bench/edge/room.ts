import { useEdgeLines } from "../../../api/queries";
import { isHeld } from "../shared/holds";
import { outlineNodes } from "../shared/nodes";
import { seen } from "../shared/seen";
import { useBench } from "../store";
import { outline, type Place } from "../viewer/paint";
import type { Given, LoopTool, Room, Scene } from "../viewer/room";
import { useEdgeHands } from "./hands";
import * as paint from "./paint";
import type { EdgeTool } from "./slice";

const DRAWN: Record<EdgeTool, Pick<LoopTool, "words" | "where" | "least">> = {
  add: { words: "Draw a loop that is added to the edge. Esc leaves.", where: "both", least: 6 },
  take: { words: "Draw a loop that is taken away from the edge. Esc leaves.", where: "both", least: 6 },
  draw: { words: "Draw a line along what is to go. Esc leaves.", where: "both", least: 2 },
  front: { words: "Draw round what is in front on this frame. Esc leaves.", where: "shot", least: 6 },
  behind: { words: "Draw round what is not in front. Esc leaves.", where: "shot", least: 6 },
  brushFront: {
    words: "Brush over what is in front on this frame; with Alt, what is not. Esc leaves.",
    where: "shot",
    least: 2,
  },
};

/** The edge on the pictures: outlines with their points, where the patch is full and where it ends, what is in front. */
export function useEdgeRoom({ fix, fixes, frame, held, change }: Given, open: boolean): Room {
  const { stage, see, outline: chosen, node } = useBench();
  const hands = useEdgeHands({ fix, map: held?.map ?? null, change });
  const lines = useEdgeLines(fix, frame, open).data;

  function paintEdge({ ink, space, plain, place, map, playing }: Scene) {
    if (!fix) return;
    if (open && space === "shot") paint.drawnFront(ink, plain, fix, frame);
    // a mark that stands still in the frame has its edge there, whatever the surface does
    const onScreen: Place = (p) => (map ? plain(map.inverse(p)) : plain(p));
    const stood = fix.stands ? (space === "shot" ? plain : onScreen) : place;
    if (!stood || (playing && space === "shot" && stage !== "hold")) return;
    if (stage === "source") {
      if (hands.nodes.length > 2 && !playing) outline(ink, stood, hands.nodes, null, true);
      return;
    }
    if (stage === "check") return;
    fix.edge.outlines.forEach((one, k) => {
      const nodes = k === chosen ? hands.nodes : outlineNodes(one, frame);
      outline(ink, stood, nodes, one.width ?? null, open && k !== chosen);
    });
    if (!open) return;
    if (lines) paint.extent(ink, stood, lines.full, lines.ends);
    paint.grips(ink, stood, hands.nodes, node);
  }

  const loops = Object.fromEntries(
    (Object.keys(DRAWN) as EdgeTool[]).map((tool) => [
      tool,
      { ...DRAWN[tool], done: ({ points, space, alt }) => hands.drawn(tool, points, space, alt) } satisfies LoopTool,
    ]),
  );
  const known = !!fix?.hold && isHeld(fix.hold, frame);
  return {
    loops,
    down: (space, press) => open && !!fix && hands.begin(space, press),
    move: hands.drag,
    up: hands.end,
    double: (space, press) => open && fix && hands.double(space, press),
    remove: () => open && hands.remove(),
    drop: hands.drop,
    paint: paintEdge,
    still: open && fix && known && !fix.lacks && see !== "picture" ? seen(fix, frame, fixes, see) : null,
    cursor: open && fix ? { shot: "default", still: "default" } : {},
  };
}
