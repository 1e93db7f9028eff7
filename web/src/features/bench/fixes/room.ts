import { useState } from "react";
import { body, client, type Fix } from "../../../api/client";
import { keepFix } from "../../../api/queries";
import type { Point } from "../../../geometry/points";
import { say } from "../../../ui/messages";
import { useBench } from "../store";
import type { Given, Room } from "../viewer/room";

/** Circling: a loop round a mark becomes a fix. */
export function useCircleRoom({ shot }: Given): Room {
  const [busy, setBusy] = useState(false);
  const { getState: bench } = useBench;

  async function circled(points: Point[], anew: boolean) {
    setBusy(true);
    try {
      const made = await body<Fix>(
        client.POST("/api/shots/{shot}/circle", {
          params: { path: { shot: shot.id } },
          body: { frame: bench().frame, loop: points.map((p) => [p.x, p.y]), anew },
        }),
      );
      keepFix(made);
      bench().set({ fix: made.id, stage: "hold", tool: "look" });
      if (made.shares.length) say(`On the surface of ${made.shares[0]}: its hold is used, nothing is tracked again.`);
    } catch (problem) {
      say((problem as Error).message);
    }
    setBusy(false);
  }

  return {
    note: busy ? "Looking at the loop: trying a plane and a mesh on a few frames" : null,
    loops: {
      circle: {
        words: "Draw a loose loop round the mark where it is sharp. Esc leaves; with Alt it is tracked anew.",
        where: "shot",
        least: 6,
        done: ({ points, alt }) => void circled(points, alt),
      },
    },
  };
}
