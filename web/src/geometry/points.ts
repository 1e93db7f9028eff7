/** Pixels of the picture: x right, y down, the centre of the top-left pixel is (0, 0). */
export interface Point {
  x: number;
  y: number;
}

export const add = (a: Point, b: Point): Point => ({ x: a.x + b.x, y: a.y + b.y });
export const sub = (a: Point, b: Point): Point => ({ x: a.x - b.x, y: a.y - b.y });
export const scaled = (a: Point, by: number): Point => ({ x: a.x * by, y: a.y * by });
export const distance = (a: Point, b: Point): number => Math.hypot(a.x - b.x, a.y - b.y);
