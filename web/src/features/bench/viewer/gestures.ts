import { useRef, useState } from "react";
import type { Shot } from "../../../api/client";
import { distance } from "../../../geometry/points";
import { say } from "../../../ui/messages";
import { useBench } from "../store";
import type { Hands } from "./PictureView";
import type { Drawn, LoopTool, Room } from "./room";
import type { Space } from "./slice";
import { dragLine, lineAt } from "./split";

const LOOP_STEP = 3; // screen px between the points of a loop

export const loopOf = (rooms: Room[]): LoopTool | undefined => {
  const { tool } = useBench.getState();
  return rooms.map((room) => room.loops?.[tool]).find(Boolean);
};

/** What the pointer does on the two pictures: one gesture is one change, and the room that took the press gets it. */
export function useGestures(rooms: Room[], shot: Shot) {
  const [loop, setLoop] = useState<Drawn | null>(null);
  const lineGrip = useRef<"move" | "turn" | null>(null);
  const taker = useRef<number | null>(null); // rooms are made anew each time, their order stays

  function ended(drawn: Drawn) {
    setLoop(null);
    const tool = loopOf(rooms);
    if (!tool) return;
    if (drawn.points.length >= tool.least) tool.done(drawn);
    else if (tool.least < 6) say("Draw a little more of it: press, go along, let go.");
    else say("Draw a loop round it: press, go round, let go.");
  }

  function hands(space: Space): Hands {
    return {
      down(press) {
        const { tool, compare } = useBench.getState();
        if (compare === "split" && space === "shot" && tool === "look") {
          lineGrip.current = lineAt(press, shot);
          if (lineGrip.current) return true;
        }
        const drawing = loopOf(rooms);
        if (drawing && (space === "shot" || drawing.where === "both")) {
          setLoop({ space, points: [press.at], alt: press.alt });
          return true;
        }
        const index = rooms.findIndex((room) => room.down?.(space, press));
        taker.current = index < 0 ? null : index;
        return index >= 0;
      },
      move(press) {
        if (lineGrip.current) dragLine(lineGrip.current, press, shot);
        else if (loop) {
          const last = loop.points[loop.points.length - 1]!;
          if (distance(last, press.at) * press.view.scale >= LOOP_STEP)
            setLoop({ ...loop, points: [...loop.points, press.at] });
        } else if (taker.current !== null) rooms[taker.current]?.move?.(space, press);
      },
      up() {
        if (lineGrip.current) lineGrip.current = null;
        else if (loop) ended(loop);
        else if (taker.current !== null) rooms[taker.current]?.up?.();
        taker.current = null;
      },
      double(press) {
        for (const room of rooms) room.double?.(space, press);
      },
    };
  }
  return { hands, loop };
}
