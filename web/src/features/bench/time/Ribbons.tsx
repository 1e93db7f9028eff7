import { useLayoutEffect, useRef } from "react";
import type { Fix, Hold } from "../../../api/client";
import { useTells } from "../../../api/queries";
import { isOff, level, loudest, TELLS, tellLevel } from "../model";
import { GUTTER, useScrub } from "./scrub";

const COLOURS = { quiet: "#3c4f49", noticeable: "#e0a13c", loud: "#e2603d", none: "#2b2b2b" };

const CURVE_TOP = 9; // px of drift at the ribbon's upper end

/** Drift over time as a line: its shape says more than cells do. */
function curve(
  ink: CanvasRenderingContext2D,
  element: HTMLCanvasElement,
  hold: Hold | null,
  first: number,
  step: number,
  dense: number,
) {
  if (!hold) return;
  ink.beginPath();
  let before: number | null = null;
  for (const { frame, drift } of [...hold.frames, { frame: hold.anchor, drift: 0 }].sort((a, b) => a.frame - b.frame)) {
    const x = (frame - first + 0.5) * step;
    const y = element.height * (1 - Math.min(1, drift / CURVE_TOP)) - dense;
    if (before === frame - 1) ink.lineTo(x, y);
    else ink.moveTo(x, y);
    before = frame;
  }
  ink.strokeStyle = "rgba(233,233,230,.75)";
  ink.lineWidth = dense;
  ink.stroke();
}

export function Ribbon({ first, last, fix, frame }: { first: number; last: number; fix: Fix | null; frame: number }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const scrub = useScrub(first, last);
  const hold = fix?.hold ?? null;
  const total = last - first + 1;
  const done = hold?.frames.length ?? 0;
  const worst = loudest(hold);
  const here = hold?.frames.find((entry) => entry.frame === frame);
  useLayoutEffect(() => {
    const element = canvas.current;
    const ink = element?.getContext("2d");
    if (!element || !ink) return;
    const dense = window.devicePixelRatio || 1;
    element.width = element.clientWidth * dense;
    element.height = element.clientHeight * dense;
    const step = element.width / total;
    const measured = new Map(hold?.frames.map((entry) => [entry.frame, entry]));
    for (let n = first; n <= last; n++) {
      const found = measured.get(n);
      ink.fillStyle = n === hold?.anchor ? COLOURS.quiet : COLOURS[found ? level(found.drift, found.lost) : "none"];
      ink.fillRect((n - first) * step, 0, Math.max(1, step - 1.2 * dense), element.height);
      if (fix && isOff(fix, n)) {
        ink.fillStyle = "#1e1e1e";
        ink.fillRect((n - first) * step, element.height * 0.35, step, element.height * 0.3);
      }
    }
    curve(ink, element, hold, first, step, dense);
  });
  const words = hold
    ? `drift: ${done} of ${hold.last - hold.first} frames measured${worst ? `, loudest ${worst.drift.toFixed(1)} px at ${worst.frame}` : ""}`
    : "drift: nothing measured yet";
  return (
    <div className="flex flex-1 items-center gap-2">
      <div className="relative h-[18px] flex-1 cursor-ew-resize" role="img" aria-label={words} title={words} {...scrub}>
        <canvas ref={canvas} className="absolute inset-0 size-full" />
      </div>
      <span className="figure pointer-events-none absolute right-3 -translate-y-4 text-[10.5px] text-faint">
        {here ? `drift ${here.lost ? "lost" : here.drift.toFixed(1)}` : ""}
      </span>
    </div>
  );
}

const RIBBON_ROW = 8; // px

/** One row a tell, one cell a frame: nearly invisible when quiet, warm when noticeable. */
export function TellRibbons({ fix, first, last }: { fix: Fix; first: number; last: number }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const scrub = useScrub(first, last);
  const tells = useTells(fix).data;
  const total = last - first + 1;
  const rows = tells?.frames ?? [];
  const names = TELLS.filter((name) => name !== "drift");
  useLayoutEffect(() => {
    const element = canvas.current;
    const ink = element?.getContext("2d");
    if (!element || !ink) return;
    const dense = window.devicePixelRatio || 1;
    element.width = element.clientWidth * dense;
    element.height = element.clientHeight * dense;
    const [step, tall] = [element.width / total, element.height / names.length];
    ink.fillStyle = COLOURS.none;
    for (let k = 0; k < names.length; k++) ink.fillRect(0, k * tall, element.width, tall - 1.5 * dense);
    for (const row of rows)
      names.forEach((name, k) => {
        ink.globalAlpha = row.stale ? 0.35 : 1;
        ink.fillStyle = COLOURS[tellLevel(row[name])];
        ink.fillRect((row.frame - first) * step, k * tall, Math.max(1, step - 1.2 * dense), tall - 1.5 * dense);
      });
  });
  const loud = rows.filter((row) => names.some((name) => row[name] >= 1)).length;
  return (
    <div className="flex items-stretch">
      <div className={`${GUTTER} flex flex-col pr-3 text-right text-faint`}>
        {names.map((name) => (
          <span key={name} className="text-[9px]" style={{ height: RIBBON_ROW, lineHeight: `${RIBBON_ROW}px` }}>
            {name}
          </span>
        ))}
      </div>
      <div
        className="relative flex-1 cursor-ew-resize"
        role="img"
        aria-label={`tells: ${rows.length} of ${rows.length + (tells?.waiting ?? 0)} frames measured, ${loud} not quiet`}
        title={loud ? `${loud} frames are not quiet; N goes to the next` : "Tells: all that is measured is quiet"}
        style={{ height: RIBBON_ROW * names.length }}
        {...scrub}
      >
        <canvas ref={canvas} className="absolute inset-0 size-full" />
      </div>
    </div>
  );
}
