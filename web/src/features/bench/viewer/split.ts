import type { Shot } from "../../../api/client";
import * as draw from "../../../canvas/draw";
import { toScreen } from "../../../canvas/view";
import { distance, type Point, sub } from "../../../geometry/points";
import { useBench } from "../store";
import type { Press } from "./PictureView";

type Ink = CanvasRenderingContext2D;
const REACH = 9; // screen px within which the line is grabbed
const SNAP = 3; // degrees about upright and level in which it stands straight
const LONG = 5000;
export const KNOB = 70; // screen px along the line to the knob that turns it

const middleOf = (shot: Shot): Point =>
  useBench.getState().line.at ?? { x: (shot.clip.width - 1) / 2, y: (shot.clip.height - 1) / 2 };

/** Where the knob is, on the screen. */
export const knobOf = (middle: Point, angle: number): Point => ({
  x: middle.x + KNOB * Math.sin((angle * Math.PI) / 180),
  y: middle.y - KNOB * Math.cos((angle * Math.PI) / 180),
});

/** What of Split's line is under the pointer. */
export function lineAt(press: Press, shot: Shot): "move" | "turn" | null {
  const { angle } = useBench.getState().line;
  const middle = toScreen(press.view, middleOf(shot));
  if (distance(knobOf(middle, angle), press.screen) < REACH) return "turn";
  const away = sub(press.screen, middle);
  const way = (angle * Math.PI) / 180;
  return Math.abs(away.x * Math.cos(way) + away.y * Math.sin(way)) < REACH ? "move" : null;
}

export function dragLine(part: "move" | "turn", press: Press, shot: Shot) {
  const { line, set } = useBench.getState();
  if (part === "move") {
    set({ line: { ...line, at: press.at } });
    return;
  }
  const away = sub(press.screen, toScreen(press.view, middleOf(shot)));
  const angle = (Math.atan2(away.x, -away.y) * 180) / Math.PI;
  const straight = Math.round(angle / 90) * 90;
  set({ line: { at: middleOf(shot), angle: Math.abs(angle - straight) < SNAP ? straight : angle } });
}

/** Cuts the canvas down to the side of the line on which the source shows. */
export function clipToSide(ink: Ink, middle: Point, angle: number) {
  const way = (angle * Math.PI) / 180;
  ink.translate(middle.x, middle.y);
  ink.rotate(way);
  ink.beginPath();
  ink.rect(-2 * LONG, -LONG, 2 * LONG, 2 * LONG);
  ink.rotate(-way);
  ink.translate(-middle.x, -middle.y);
  ink.clip();
}

export function splitLine(ink: Ink, middle: Point, angle: number) {
  const knob = knobOf(middle, angle);
  const [dx, dy] = [(knob.x - middle.x) / KNOB, (knob.y - middle.y) / KNOB];
  for (const [colour, width] of [
    ["rgba(0,0,0,.6)", 3],
    ["#fff", 1.2],
  ] as const) {
    ink.beginPath();
    ink.moveTo(middle.x - dx * LONG, middle.y - dy * LONG);
    ink.lineTo(middle.x + dx * LONG, middle.y + dy * LONG);
    ink.strokeStyle = colour;
    ink.lineWidth = width;
    ink.stroke();
  }
  draw.ring(ink, middle, 5);
  draw.ring(ink, knob, 4);
}
