import type { Box } from "../../../canvas/view";
import type { Corner } from "./slice";

/** A corner, and how large beside the full size. */
export interface Lie {
  corner: Corner;
  scale: number;
}

export interface Size {
  width: number;
  height: number;
}

const WIDE = 0.35; // of the big picture
const TALL = 0.34;
const LEAST = 208; // screen px
const MARGIN = 12;
const ROOM = 16; // screen px round the mark that stay free as well
const SCALES = [1, 0.8, 0.6];
/** In the order in which they are tried. */
const CORNERS: Corner[] = ["bottom-right", "bottom-left", "top-right", "top-left"];

/** Where the inset lies in a picture of that size, screen px; `scale` makes it smaller. */
export function insetBox({ corner, scale }: Lie, size: Size): Box {
  const width = Math.max(LEAST, size.width * WIDE) * scale;
  const height = size.height * TALL * scale;
  return {
    left: corner.endsWith("left") ? MARGIN : size.width - width - MARGIN,
    top: corner.startsWith("top") ? MARGIN + 28 : size.height - height - MARGIN, // under the badges
    width,
    height,
  };
}

/** How much of `mark`, with room to work round it, lies under `inset`, screen px². */
function covered(inset: Box, mark: Box): number {
  const right = Math.min(inset.left + inset.width, mark.left + mark.width + ROOM);
  const bottom = Math.min(inset.top + inset.height, mark.top + mark.height + ROOM);
  const across = right - Math.max(inset.left, mark.left - ROOM);
  const down = bottom - Math.max(inset.top, mark.top - ROOM);
  return Math.max(0, across) * Math.max(0, down);
}

/** Where the inset goes: it stays while the mark is free of it, else to the first place that is, smaller if need be. */
export function asideFrom(mark: Box | null, now: Lie, size: Size): Lie {
  if (!mark) return now;
  const under = (lie: Lie) => covered(insetBox(lie, size), mark);
  const stay: Lie = { ...now, scale: 1 };
  if (under(stay) === 0) return stay;
  const places = SCALES.flatMap((scale) => CORNERS.map((corner): Lie => ({ corner, scale })));
  return places.find((lie) => under(lie) === 0) ?? places.reduce((a, b) => (under(b) < under(a) ? b : a));
}

/** The corner nearest to a place in the picture. */
export const cornerAt = (x: number, y: number, size: Size): Corner =>
  `${y < size.height / 2 ? "top" : "bottom"}-${x < size.width / 2 ? "left" : "right"}`;

/** The corner that an arrow key leads to. */
export function cornerBy(key: string, now: Corner): Corner | null {
  const [row, side] = now.split("-") as [string, string];
  if (key === "ArrowUp") return `top-${side}` as Corner;
  if (key === "ArrowDown") return `bottom-${side}` as Corner;
  if (key === "ArrowLeft") return `${row}-left` as Corner;
  if (key === "ArrowRight") return `${row}-right` as Corner;
  return null;
}
