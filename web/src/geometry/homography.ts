import type { Point } from "./points";

/** The homography, row by row, that takes four points to four others; null when three of them lie on a line. */
export function homographyOf(from: Point[], to: Point[]): number[] | null {
  const rows: number[][] = [];
  for (let k = 0; k < 4; k++) {
    const { x, y } = from[k]!;
    const { x: u, y: v } = to[k]!;
    rows.push([x, y, 1, 0, 0, 0, -u * x, -u * y, u], [0, 0, 0, x, y, 1, -v * x, -v * y, v]);
  }
  const solved = solve(rows);
  return solved ? [...solved, 1] : null;
}

/** Gauss elimination with row pivots of n rows of n + 1 numbers. */
function solve(rows: number[][]): number[] | null {
  const count = rows.length;
  for (let col = 0; col < count; col++) {
    let best = col;
    for (let row = col + 1; row < count; row++)
      if (Math.abs(rows[row]![col]!) > Math.abs(rows[best]![col]!)) best = row;
    [rows[col], rows[best]] = [rows[best]!, rows[col]!];
    const pivot = rows[col]!;
    if (Math.abs(pivot[col]!) < 1e-9) return null;
    for (let row = 0; row < count; row++) {
      if (row === col) continue;
      const share = rows[row]![col]! / pivot[col]!;
      for (let k = col; k <= count; k++) rows[row]![k]! -= share * pivot[k]!;
    }
  }
  return rows.map((row, k) => row[count]! / row[k]!);
}
