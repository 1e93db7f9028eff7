import type { ComponentType } from "react";
import { CheckStage } from "./check/Stage";
import { useEdgeRoom } from "./edge/room";
import { EdgeStage } from "./edge/Stage";
import { useCircleRoom } from "./fixes/room";
import { useHoldRoom } from "./hold/room";
import { HoldStage } from "./hold/Stage";
import { useMatchRoom } from "./match/room";
import { MatchStage } from "./match/Stage";
import { useNotesRoom } from "./notes/room";
import type { PanelProps } from "./shared/panel";
import { useSourceRoom } from "./source/room";
import { SourceStage } from "./source/Stage";
import { type Stage, useBench } from "./store";
import type { Given, Room, UseRoom } from "./viewer/room";

/** The five stages of a fix, in the order of the work: the panel on the right, and what it does on the pictures. */
export const STAGES: { id: Stage; Panel: ComponentType<PanelProps>; useRoom: UseRoom | null }[] = [
  { id: "hold", Panel: HoldStage, useRoom: useHoldRoom },
  { id: "edge", Panel: EdgeStage, useRoom: useEdgeRoom },
  { id: "source", Panel: SourceStage, useRoom: useSourceRoom },
  { id: "match", Panel: MatchStage, useRoom: useMatchRoom },
  { id: "check", Panel: CheckStage, useRoom: null },
];

/** Every room, whether its stage is open or not: a hold's test line stays while the edge is worked on. */
export function useRooms(given: Given): Room[] {
  const open = useBench((state) => state.stage);
  const rooms = STAGES.filter((stage) => stage.useRoom).map(({ id, useRoom }) => useRoom!(given, open === id));
  return [useCircleRoom(given), ...rooms, useNotesRoom(given)];
}
