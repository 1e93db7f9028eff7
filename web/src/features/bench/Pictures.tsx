import { type RefObject, useRef } from "react";
import { useChange } from "../../api/changes";
import type { Fix, Shot } from "../../api/client";
import { say } from "../../ui/messages";
import { useMoving } from "./hold/room";
import { useRooms } from "./stages";
import { useBench } from "./store";
import { useHeld } from "./viewer/pictures";
import type { Room } from "./viewer/room";
import { Viewer } from "./viewer/Viewer";

interface Props {
  shot: Shot;
  fix: Fix | null;
  fixes: Fix[];
  /** What the rooms are now, for keys that belong to one of them. */
  rooms: RefObject<Room[]>;
}

/** The viewer with every stage's hands and lines. */
export function Pictures({ shot, fix, fixes, rooms }: Props) {
  const frame = useBench((state) => state.frame);
  const held = useHeld(fix, frame, useMoving());
  const mine = useRef<Room[]>([]);
  const change = useChange(shot.id, fix?.id ?? 0, (problem) => {
    say(problem.message);
    for (const room of mine.current) room.drop?.();
  });
  const given = { shot, fix, fixes, frame, held, change };
  mine.current = useRooms(given);
  rooms.current = mine.current;
  return <Viewer {...given} rooms={mine.current} />;
}
