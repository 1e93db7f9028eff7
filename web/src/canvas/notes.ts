import { toScreen, type View } from "./view";

const THREAD = "#b9a8f2";
const PIN = 7; // screen px

/** A note on the picture: its pin, and what was drawn for it (lines in picture pixels). */
export function paintNote(
  ink: CanvasRenderingContext2D,
  view: View,
  spot: { x: number | null; y: number | null },
  lines: readonly (readonly (readonly [number, number])[])[],
  chosen: boolean,
) {
  ink.save();
  ink.lineJoin = ink.lineCap = "round";
  for (const line of lines) {
    const path = new Path2D();
    line.forEach(([x, y], k) => {
      const at = toScreen(view, { x, y });
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
  if (spot.x !== null && spot.y !== null) {
    const at = toScreen(view, { x: spot.x, y: spot.y });
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
