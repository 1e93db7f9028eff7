import type { Box } from "../../../canvas/view";
import type { Corner } from "./slice";

export interface Size {
  width: number;
  height: number;
}

const WIDE = 0.35; // of the big picture
const TALL = 0.34;
const LEAST = 208; // screen px
const MARGIN = 12;
/** In the order in which they are tried. */
const CORNERS: Corner[] = ["bottom-right", "bottom-left", "top-right", "top-left"];

/** Where the inset lies in a picture of that size, screen px. */
export function insetBox(corner: Corner, size: Size): Box {
  const width = Math.max(LEAST, size.width * WIDE);
  const height = size.height * TALL;
  return {
    left: corner.endsWith("left") ? MARGIN : size.width - width - MARGIN,
    top: corner.startsWith("top") ? MARGIN + 28 : size.height - height - MARGIN, // under the badges
    width,
    height,
  };
}

/** How much of `mark` lies under `inset`, screen px². */
function covered(inset: Box, mark: Box): number {
  const across = Math.min(inset.left + inset.width, mark.left + mark.width) - Math.max(inset.left, mark.left);
  const down = Math.min(inset.top + inset.height, mark.top + mark.height) - Math.max(inset.top, mark.top);
  return Math.max(0, across) * Math.max(0, down);
}

/** The corner for the inset: where it is while the mark is free of it, else the first that is, or covers least. */
export function asideFrom(mark: Box | null, now: Corner, size: Size): Corner {
  if (!mark) return now;
  const under = (corner: Corner) => covered(insetBox(corner, size), mark);
  if (under(now) === 0) return now;
  return CORNERS.reduce((best, corner) => (under(corner) < under(best) ? corner : best), CORNERS[0]!);
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
