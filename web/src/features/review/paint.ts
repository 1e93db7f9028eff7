type Ink = CanvasRenderingContext2D;

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
