import type { ReactNode } from "react";
import type { Fix, Shot } from "../../../api/client";
import { useTells } from "../../../api/queries";
import { frameOf } from "../shared/holds";
import { type Level, level, loudest, TELLS, tellLevel } from "../shared/levels";
import { useBench } from "../store";
import { GUTTER, useScrub } from "./scrub";
import { useSpan } from "./span";
import { type Sheet, useDrawn } from "./useDrawn";

const COLOURS: Record<Level, string> = { quiet: "#3c4f49", noticeable: "#e0a13c", loud: "#e2603d", none: "#2b2b2b" };
const RANK: Level[] = ["none", "quiet", "noticeable", "loud"];
const CURVE_TOP = 9; // px of drift at the ribbon's upper end
export const RIBBON_ROW = 12; // px a tell
const ROWS = TELLS.filter((name) => name !== "drift");

/** Columns that are no narrower than a pixel; what is loudest in a column shows. */
function columns(first: number, last: number, sheet: Sheet, levelOf: (frame: number) => Level) {
  const total = last - first + 1;
  const step = sheet.width / total;
  const per = Math.max(1, Math.ceil(1 / step));
  const made: { x: number; wide: number; level: Level }[] = [];
  for (let from = first; from <= last; from += per) {
    let worst = 0;
    for (let n = from; n < Math.min(from + per, last + 1); n++) worst = Math.max(worst, RANK.indexOf(levelOf(n)));
    const gap = step > 3 ? 1.2 * sheet.dense : 0;
    made.push({ x: (from - first) * step, wide: Math.max(1, per * step - gap), level: RANK[worst]! });
  }
  return made;
}

/** Drift over time as a line: its shape says more than cells do. */
function curve({ ink, width, height, dense }: Sheet, fix: Fix, first: number, last: number) {
  const hold = fix.hold!;
  const step = width / (last - first + 1);
  ink.beginPath();
  let before: number | null = null;
  for (let frame = first; frame <= last; frame++) {
    const drift = frame === hold.anchor ? 0 : frameOf(hold, frame)?.drift;
    if (drift === undefined) continue;
    const x = (frame - first + 0.5) * step;
    const y = height * (1 - Math.min(1, drift / CURVE_TOP)) - dense;
    if (before === frame - 1) ink.lineTo(x, y);
    else ink.moveTo(x, y);
    before = frame;
  }
  ink.strokeStyle = "rgba(233,233,230,.75)";
  ink.lineWidth = dense;
  ink.stroke();
}

/** How well the surface holds, a cell a frame. */
export function Ribbon({ shot, fix }: { shot: Shot; fix: Fix | null }) {
  const { first, last } = useSpan(shot);
  const scrub = useScrub(shot);
  const hold = fix?.hold ?? null;
  const worst = loudest(hold);
  const canvas = useDrawn(
    (sheet) => {
      const { ink, width, height } = sheet;
      const seen = (frame: number): Level => {
        if (frame === hold?.anchor) return "quiet";
        const found = hold && frameOf(hold, frame);
        return found ? level(found.drift, found.lost) : "none";
      };
      for (const { x, wide, level } of columns(first, last, sheet, seen)) {
        ink.fillStyle = COLOURS[level];
        ink.fillRect(x, 0, wide, height);
      }
      const step = width / (last - first + 1);
      ink.fillStyle = "#1e1e1e";
      for (const [from, to] of fix?.off ?? [])
        ink.fillRect(
          ((from ?? first) - first) * step,
          height * 0.35,
          ((to ?? last) - (from ?? first) + 1) * step,
          height * 0.3,
        );
      if (hold && fix) curve(sheet, fix, first, last);
    },
    [hold, fix?.off, first, last],
  );
  const words = hold
    ? `drift: ${hold.frames.length} of ${hold.last - hold.first} frames measured${worst ? `, loudest ${worst.drift.toFixed(1)} px at ${worst.frame}` : ""}`
    : "drift: nothing measured yet";
  return (
    <div className="relative h-[18px] flex-1 cursor-ew-resize" role="img" aria-label={words} title={words} {...scrub}>
      <canvas ref={canvas} className="absolute inset-0 size-full" />
    </div>
  );
}

/** The drift of the frame in figures, beside the ribbon's name. */
export function DriftHere({ fix }: { fix: Fix | null }) {
  const frame = useBench((state) => state.frame);
  const here = fix?.hold && frameOf(fix.hold, frame);
  return (
    <span className="flex items-center justify-end gap-2 text-[11px] text-faint">
      drift
      <span className="figure w-8 text-right text-soft">
        {here ? (here.lost ? "lost" : here.drift.toFixed(1)) : "–"}
      </span>
    </span>
  );
}

/** One row a tell, one cell a frame: nearly invisible when quiet, warm when noticeable. */
export function TellRibbons({ shot, fix, children }: { shot: Shot; fix: Fix | null; children: ReactNode }) {
  const { first, last } = useSpan(shot);
  const frame = useBench((state) => state.frame);
  const scrub = useScrub(shot);
  const tells = useTells(fix?.lacks ? null : fix).data;
  const rows = tells?.frames ?? [];
  const canvas = useDrawn(
    (sheet) => {
      const { ink, height, dense } = sheet;
      const tall = height / ROWS.length;
      const measured = new Map(tells?.frames.map((row) => [row.frame, row]));
      ROWS.forEach((name, k) => {
        for (const { x, wide, level } of columns(first, last, sheet, (n) => tellLevel(measured.get(n)?.[name]))) {
          ink.fillStyle = COLOURS[level];
          ink.fillRect(x, k * tall, wide, tall - 2 * dense);
        }
      });
      ink.fillStyle = "rgba(30,30,30,.6)"; // what is measured again is dimmed
      const step = sheet.width / (last - first + 1);
      for (const row of tells?.frames ?? [])
        if (row.stale) ink.fillRect((row.frame - first) * step, 0, Math.max(1, step), height);
    },
    [tells, first, last],
  );
  const here = rows.find((row) => row.frame === frame);
  const loud = rows.filter((row) => ROWS.some((name) => row[name] >= 1)).length;
  return (
    <div className="flex items-stretch">
      <div className={`${GUTTER} flex pr-3 pl-3 text-faint`}>
        <div className="flex min-w-0 flex-1 flex-col justify-end gap-0.5">{children}</div>
        <div className="flex flex-col">
          {ROWS.map((name) => (
            <span
              key={name}
              className="flex items-center justify-end gap-2 text-[11px]"
              style={{ height: RIBBON_ROW, lineHeight: `${RIBBON_ROW}px` }}
            >
              {name}
              <span className="figure w-8 text-right text-soft">{here ? here[name].toFixed(1) : "–"}</span>
            </span>
          ))}
        </div>
      </div>
      <div
        className="relative flex-1 cursor-ew-resize"
        role="img"
        aria-label={`tells: ${rows.length} of ${rows.length + (tells?.waiting ?? 0)} frames measured, ${loud} not quiet`}
        title={
          rows.length === 0
            ? "Tells: nothing measured yet"
            : loud
              ? `${loud} frames are not quiet; N goes to the next`
              : "Tells: all that is measured is quiet"
        }
        style={{ height: RIBBON_ROW * ROWS.length }}
        {...scrub}
      >
        <canvas ref={canvas} className="absolute inset-0 size-full" />
      </div>
    </div>
  );
}
