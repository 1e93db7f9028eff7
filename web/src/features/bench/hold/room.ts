import type { Fix } from "../../../api/client";
import type { Point } from "../../../geometry/points";
import { sightAddress } from "../shared/addresses";
import { useBench } from "../store";
import type { Given, LoopTool, Room, Scene } from "../viewer/room";
import { wanted } from "./draft";
import { groundDrawn, partDrawn, passingDrawn } from "./ground";
import { useHoldHands } from "./hands";
import * as paint from "./paint";

/** Whether something moves with the surface while it plays. */
export function useMoving(): boolean {
  return useBench(
    ({ playing, hidden, stage, laid, testLine }) =>
      playing && !hidden && (!!testLine || (stage === "hold" && laid !== "none")),
  );
}

/** The hold on the pictures: what is laid on the surface, ground, keys, the test line. */
export function useHoldRoom({ fix, frame, held, change }: Given, open: boolean): Room {
  const { draft, sight, laid, testLine, holdPart, grab } = useBench();
  const hands = useHoldHands({ fix, held, change });
  const map = held?.map ?? null;
  const prep = open && sight && fix ? wanted(fix, draft) : null;

  function paintHold({ ink, space, plain, place, playing }: Scene) {
    if (!fix) return;
    if (open && space === "shot") paint.passing(ink, plain, fix, draft, frame);
    if (!place) return;
    const line = hands.line ?? testLine;
    if (line) paint.testLine(ink, place, line);
    const { hold } = fix;
    if (!open || !hold) return;
    if (laid === "mesh") paint.mesh(ink, place, hold);
    else if (laid === "trust" && held) paint.trust(ink, place, hold, held);
    else paint.laid(ink, place, hold, laid);
    paint.ground(ink, place, fix, draft);
    if (space !== "shot" || playing) return;
    if (frame === hold.anchor) paint.windows(ink, plain, fix, hands.windowDraft);
    else if (holdPart === "correct") paint.grips(ink, place, hold, frame, grab === "corner");
  }

  /** A loop on the Shot view that does something with the fix. */
  const loop = (words: string, act: (fix: Fix, points: Point[]) => void): LoopTool => ({
    words,
    where: "shot",
    least: 6,
    done: ({ points }) => fix && act(fix, points),
  });
  return {
    down: hands.down,
    move: hands.move,
    up: hands.up,
    drop: hands.drop,
    map: hands.preview,
    paint: paintHold,
    shot:
      prep && fix
        ? { address: sightAddress(fix, frame, prep.method), words: "What the tracker sees; black is not read" }
        : null,
    words: { line: "Draw a straight line across the surface, in either picture. Esc leaves." },
    loops: {
      ground: loop("Draw round the surface to read; this frame becomes the anchor. Esc leaves.", (fix, points) =>
        groundDrawn(fix, change, points),
      ),
      read: loop("Draw round one more part of the surface to read. Esc leaves.", (fix, points) =>
        partDrawn(fix, map, "read", points),
      ),
      ignore: loop("Draw round a part of the surface to leave out. Esc leaves.", (fix, points) =>
        partDrawn(fix, map, "ignore", points),
      ),
      passing: loop("Draw round what passes in front on this frame. Esc leaves.", passingDrawn),
    },
  };
}
