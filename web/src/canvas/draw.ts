import type { Point } from "../geometry/points";

type Ink = CanvasRenderingContext2D;
const THREAD = "#b9a8f2";

function trace(ink: Ink, points: Point[], closed: boolean) {
  ink.beginPath();
  points.forEach((p, i) => {
    if (i === 0) ink.moveTo(p.x, p.y);
    else ink.lineTo(p.x, p.y);
  });
  if (closed) ink.closePath();
}

/** The edge: a running stitch, white dashes over a thin dark line, readable on any picture. */
export function stitch(ink: Ink, points: Point[], closed = true) {
  ink.setLineDash([]);
  trace(ink, points, closed);
  ink.strokeStyle = "rgba(16,16,16,.75)";
  ink.lineWidth = 2.2;
  ink.stroke();
  ink.setLineDash([7, 5]);
  ink.strokeStyle = "#fff";
  ink.lineWidth = 1.3;
  ink.stroke();
  ink.setLineDash([]);
}

/** Where the softness ends. */
export function faintLine(ink: Ink, points: Point[]) {
  trace(ink, points, true);
  ink.setLineDash([2, 5]);
  ink.strokeStyle = "rgba(255,255,255,.6)";
  ink.lineWidth = 1;
  ink.stroke();
  ink.setLineDash([]);
}

/** Ground: dotted. */
export function dotted(ink: Ink, points: Point[]) {
  trace(ink, points, true);
  ink.lineCap = "round";
  ink.setLineDash([0.1, 5]);
  ink.strokeStyle = "rgba(0,0,0,.6)";
  ink.lineWidth = 3.4;
  ink.stroke();
  ink.strokeStyle = "rgba(255,255,255,.95)";
  ink.lineWidth = 2;
  ink.stroke();
  ink.setLineDash([]);
  ink.lineCap = "butt";
}

const HATCH = 7; // px between the strokes

/** Fills the current path with slanted strokes. */
export function hatchPath(ink: Ink, strong = false) {
  ink.save();
  ink.clip();
  ink.resetTransform();
  const { width, height } = ink.canvas;
  const step = HATCH * (window.devicePixelRatio || 1);
  ink.beginPath();
  for (let x = -height; x < width; x += step) {
    ink.moveTo(x, height);
    ink.lineTo(x + height, 0);
  }
  ink.lineWidth = window.devicePixelRatio || 1;
  ink.strokeStyle = strong ? "rgba(185,168,242,.9)" : "rgba(255,255,255,.5)";
  ink.stroke();
  ink.restore();
}

/** Ignored ground: hatched. */
export function hatched(ink: Ink, points: Point[], strong = false) {
  ink.setLineDash([]);
  trace(ink, points, true);
  hatchPath(ink, strong);
  trace(ink, points, true);
  ink.strokeStyle = strong ? THREAD : "rgba(255,255,255,.75)";
  ink.lineWidth = 1;
  ink.stroke();
}

/** A test line in chalk. */
export function chalk(ink: Ink, points: Point[]) {
  ink.setLineDash([]);
  for (const [colour, width] of [
    ["rgba(0,0,0,.65)", 4],
    ["#fff", 1.8],
  ] as const) {
    trace(ink, points, false);
    ink.strokeStyle = colour;
    ink.lineWidth = width;
    ink.stroke();
  }
}

/** A mesh: hair lines. */
export function hairLine(ink: Ink, points: Point[]) {
  trace(ink, points, false);
  ink.strokeStyle = "rgba(255,255,255,.34)";
  ink.lineWidth = 0.8;
  ink.stroke();
}

export function cross(ink: Ink, p: Point) {
  for (const [colour, width] of [
    ["rgba(0,0,0,.7)", 3],
    ["#fff", 1.2],
  ] as const) {
    ink.beginPath();
    ink.moveTo(p.x - 8, p.y);
    ink.lineTo(p.x + 8, p.y);
    ink.moveTo(p.x, p.y - 8);
    ink.lineTo(p.x, p.y + 8);
    ink.strokeStyle = colour;
    ink.lineWidth = width;
    ink.stroke();
  }
}

export function ring(ink: Ink, p: Point, radius: number, dashed = false) {
  ink.beginPath();
  ink.arc(p.x, p.y, Math.max(1, radius), 0, 2 * Math.PI);
  ink.setLineDash([]);
  ink.strokeStyle = "rgba(0,0,0,.7)";
  ink.lineWidth = 2.6;
  ink.stroke();
  ink.setLineDash(dashed ? [4, 4] : []);
  ink.strokeStyle = "#fff";
  ink.lineWidth = 1.2;
  ink.stroke();
  ink.setLineDash([]);
}

export function node(ink: Ink, p: Point, chosen: boolean) {
  ink.save();
  ink.translate(p.x, p.y);
  ink.rotate(Math.PI / 4);
  ink.fillStyle = chosen ? THREAD : "#fff";
  ink.strokeStyle = "rgba(0,0,0,.8)";
  ink.lineWidth = 1;
  ink.fillRect(-4, -4, 8, 8);
  ink.strokeRect(-4, -4, 8, 8);
  ink.restore();
}

export function handle(ink: Ink, from: Point, to: Point) {
  ink.beginPath();
  ink.moveTo(from.x, from.y);
  ink.lineTo(to.x, to.y);
  ink.strokeStyle = "rgba(185,168,242,.9)";
  ink.lineWidth = 1;
  ink.stroke();
  ink.beginPath();
  ink.arc(to.x, to.y, 3.4, 0, 2 * Math.PI);
  ink.fillStyle = THREAD;
  ink.fill();
}

export function loop(ink: Ink, points: Point[]) {
  trace(ink, points, false);
  ink.strokeStyle = "rgba(0,0,0,.6)";
  ink.lineWidth = 4;
  ink.stroke();
  ink.strokeStyle = THREAD;
  ink.lineWidth = 2;
  ink.stroke();
}
