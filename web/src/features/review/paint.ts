import { toScreen, type View } from "../../canvas/view";

type Ink = CanvasRenderingContext2D;
const THREAD = "#b9a8f2";
const PIN = 7; // screen px

/** A note on the picture: its pin, and what was drawn for it. */
export function paintNote(
  ink: Ink,
  view: View,
  x: number | null,
  y: number | null,
  lines: readonly (readonly ([number, number] | number[] | { x: number; y: number })[])[],
  chosen: boolean,
) {
  ink.save();
  ink.lineJoin = ink.lineCap = "round";
  for (const line of lines) {
    const path = new Path2D();
    line.forEach((point, k) => {
      const [px, py] = Array.isArray(point) ? point : [(point as { x: number }).x, (point as { y: number }).y];
      const at = toScreen(view, { x: px!, y: py! });
      if (k === 0) path.moveTo(at.x, at.y);
      path.lineTo(at.x, at.y);
    });
    ink.lineWidth = 5;
    ink.strokeStyle = "rgb(0 0 0 / 55%)";
    ink.stroke(path);
    ink.lineWidth = 2.5;
    ink.strokeStyle = chosen ? THREAD : "#ffffff";
    ink.stroke(path);
  }
  if (x !== null && y !== null) {
    const at = toScreen(view, { x, y });
    ink.beginPath();
    ink.arc(at.x, at.y, chosen ? PIN + 2 : PIN, 0, 2 * Math.PI);
    ink.fillStyle = chosen ? THREAD : "#ffffff";
    ink.strokeStyle = "rgb(0 0 0 / 70%)";
    ink.lineWidth = 2;
    ink.fill();
    ink.stroke();
  }
  ink.restore();
}

/** The line between two states. */
export function paintSplit(ink: Ink, x: number, height: number) {
  ink.save();
  ink.strokeStyle = "rgb(0 0 0 / 60%)";
  ink.lineWidth = 3;
  ink.beginPath();
  ink.moveTo(x, 0);
  ink.lineTo(x, height);
  ink.stroke();
  ink.strokeStyle = "#e9e9e6";
  ink.lineWidth = 1;
  ink.stroke();
  ink.fillStyle = "#e9e9e6";
  ink.beginPath();
  ink.arc(x, height / 2, 8, 0, 2 * Math.PI);
  ink.fill();
  ink.restore();
}
