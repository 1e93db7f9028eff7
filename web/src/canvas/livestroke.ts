import type { Point } from "../geometry/points";

export interface Brush {
  radius: number;
  hardness: number;
  opacity: number;
}

/** A donor: its picture, and how it lies; turned, scaled and mirrored about the stroke's first point. */
export interface Laid {
  picture: CanvasImageSource;
  offset: Point;
  turn: number;
  zoom: number;
  flip: boolean;
}

/** Draws a donor as the engine samples it (hushcore/retouch/strokes.py). */
export function place(
  ink: OffscreenCanvasRenderingContext2D,
  laid: Laid,
  first: [number, number, number],
  corner: Point,
) {
  const [x, y] = [first[0] - corner.x, first[1] - corner.y];
  ink.translate(x, y);
  ink.scale(laid.flip ? -laid.zoom : laid.zoom, laid.zoom);
  ink.rotate((laid.turn * Math.PI) / 180);
  ink.translate(-x - laid.offset.x, -y - laid.offset.y);
  ink.drawImage(laid.picture, 0, 0);
}

/** The same smooth fall as the engine's brush (hushcore/retouch/strokes.py). */
export function falloff(d: number, radius: number, hardness: number): number {
  const core = radius * hardness;
  const fall = Math.max(radius - core, 1);
  const v = Math.min(1, Math.max(0, (core + fall - d) / fall));
  return v * v * (3 - 2 * v);
}

function dab(brush: Brush): OffscreenCanvas {
  const size = Math.ceil(brush.radius) * 2 + 3;
  const canvas = new OffscreenCanvas(size, size);
  const ink = canvas.getContext("2d")!;
  const picture = ink.createImageData(size, size);
  const middle = (size - 1) / 2;
  for (let y = 0; y < size; y++)
    for (let x = 0; x < size; x++)
      picture.data[4 * (y * size + x) + 3] =
        255 * falloff(Math.hypot(x - middle, y - middle), brush.radius, brush.hardness);
  ink.putImageData(picture, 0, 0);
  return canvas;
}

/** A stroke drawn by the browser while it is made; the engine's own result replaces it. */
export class LiveStroke {
  readonly points: [number, number, number][] = [];
  readonly canvas: OffscreenCanvas;
  private readonly mask: OffscreenCanvas;
  private readonly tip: OffscreenCanvas;

  /** `laid`: the picture to lay and the way it lies, or a plain colour; both pictures' corner is at `corner`. */
  constructor(
    private readonly laid: Laid | string,
    private readonly corner: Point,
    readonly brush: Brush,
    width: number,
    height: number,
  ) {
    this.canvas = new OffscreenCanvas(width, height);
    this.mask = new OffscreenCanvas(width, height);
    this.tip = dab(brush);
  }

  to(p: Point, pressure: number) {
    const last = this.points[this.points.length - 1];
    this.points.push([p.x, p.y, pressure]);
    const from = last ? { x: last[0], y: last[1] } : p;
    const far = Math.hypot(p.x - from.x, p.y - from.y);
    const steps = Math.max(1, Math.ceil(far / Math.max(1, this.brush.radius / 6)));
    const ink = this.mask.getContext("2d")!;
    const half = (this.tip.width - 1) / 2 + 0.5;
    for (let k = last ? 1 : 0; k <= steps; k++) {
      const x = from.x + ((p.x - from.x) * k) / steps - this.corner.x;
      const y = from.y + ((p.y - from.y) * k) / steps - this.corner.y;
      ink.drawImage(this.tip, x - half + 0.5, y - half + 0.5);
    }
    this.compose(from, p);
  }

  private compose(a: Point, b: Point) {
    const reach = this.brush.radius + 3;
    const x = Math.floor(Math.min(a.x, b.x) - this.corner.x - reach);
    const y = Math.floor(Math.min(a.y, b.y) - this.corner.y - reach);
    const w = Math.ceil(Math.abs(a.x - b.x) + 2 * reach);
    const h = Math.ceil(Math.abs(a.y - b.y) + 2 * reach);
    const ink = this.canvas.getContext("2d")!;
    ink.save();
    ink.beginPath();
    ink.rect(x, y, w, h);
    ink.clip();
    ink.clearRect(x, y, w, h);
    ink.globalAlpha = this.brush.opacity;
    ink.drawImage(this.mask, 0, 0);
    ink.globalAlpha = 1;
    ink.globalCompositeOperation = "source-in";
    if (typeof this.laid === "string") {
      ink.fillStyle = this.laid;
      ink.fillRect(x, y, w, h);
    } else place(ink, this.laid, this.points[0]!, this.corner);
    ink.restore();
  }
}
