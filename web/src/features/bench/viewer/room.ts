import type { Fix, Shot } from "../../../api/client";
import type { View } from "../../../canvas/view";
import type { HoldMap } from "../../../geometry/holdmap";
import type { Point } from "../../../geometry/points";
import type { Change } from "../shared/panel";
import type { Tool } from "../store";
import type { Press } from "./PictureView";
import type { Place } from "./paint";
import type { Held } from "./pictures";
import type { Space } from "./slice";

/** What is on the screen, for every room alike. */
export interface Given {
  shot: Shot;
  fix: Fix | null;
  fixes: Fix[];
  frame: number;
  held: Held | null;
  change: Change;
}

/** One of the two pictures, to be drawn over. */
export interface Scene {
  ink: CanvasRenderingContext2D;
  view: View;
  space: Space;
  /** From the picture's own pixels to the screen. */
  plain: Place;
  /** From the still surface to the screen; none where the frame is not held. */
  place: Place | null;
  map: HoldMap | null;
  playing: boolean;
}

export interface Drawn {
  points: Point[];
  space: Space;
  alt: boolean;
}

/** A tool that draws a line or a loop on the picture and then does something with it. */
export interface LoopTool {
  words: string;
  where: "shot" | "both";
  least: number;
  done: (drawn: Drawn) => void;
}

/** What the Still view shows instead of the held frame. */
export interface Still {
  words: string;
  address?: string | null;
  draw?: (ink: CanvasRenderingContext2D, view: View) => void;
}

/**
 * What a stage adds to the pictures: tools, hands, lines drawn over them, a picture of its own. The viewer knows rooms,
 * and none by name. Every room is asked on every change; one that is not open simply says little.
 */
export interface Room {
  loops?: Partial<Record<Tool, LoopTool>>;
  /** What to do with a tool that is no loop. */
  words?: Partial<Record<Tool, string>>;
  /** Returns whether the press is taken; the room that takes it gets what follows. */
  down?: (space: Space, press: Press) => boolean;
  move?: (space: Space, press: Press) => void;
  up?: () => void;
  double?: (space: Space, press: Press) => void;
  /** The Delete key. */
  remove?: () => void;
  /** Let go of what was shown ahead of the server: it has refused. */
  drop?: () => void;
  paint?: (scene: Scene) => void;
  /** The hold's map while it is being dragged. */
  map?: HoldMap | null;
  shot?: { address: string; words: string } | null;
  still?: Still | null;
  cursor?: Partial<Record<Space, string>>;
  note?: string | null;
}

export type UseRoom = (given: Given, open: boolean) => Room;
