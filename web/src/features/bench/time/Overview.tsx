import { type PointerEvent, useMemo, useRef } from "react";
import type { Fix, Shot } from "../../../api/client";
import { useAllTells } from "../../../api/queries";
import { most } from "../shared/levels";
import { useBench } from "../store";
import { count, useSpan, whole, within } from "./span";

/** All of the shot as a thin line, coloured where any fix is not quiet, with the stretch that is shown on it: drag it along, double-click for all. */
export function Overview({ shot, fixes }: { shot: Shot; fixes: Fix[] }) {
  const span = useSpan(shot);
  const frame = useBench((state) => state.frame);
  const set = useBench((state) => state.set);
  const tells = useAllTells(fixes);
  const loud = useMemo(() => {
    const found = new Map<number, number>();
    for (const row of tells.flatMap((one) => one.rows))
      found.set(row.frame, Math.max(found.get(row.frame) ?? 0, most(row)));
    return [...found].filter(([, value]) => value >= 1);
  }, [tells]);
  const grip = useRef<number | null>(null);
  const all = whole(shot);
  const zoomed = count(span) < count(all);
  const percent = (frames: number) => `${(frames / count(all)) * 100}%`;
  const frameAt = (event: PointerEvent<HTMLElement>) => {
    const box = event.currentTarget.getBoundingClientRect();
    return all.first + ((event.clientX - box.left) / box.width) * count(all);
  };
  const to = (first: number) => {
    const from = Math.round(first);
    set({ span: within({ first: from, last: from + count(span) - 1 }, all) });
  };
  return (
    <div
      className={`relative h-[7px] ${zoomed ? "cursor-grab" : ""}`}
      title={
        zoomed
          ? `${span.first} to ${span.last} of ${all.first} to ${all.last}. Drag along; double-click for all of it.`
          : "Ctrl and the wheel, or + and −, look at less of the shot"
      }
      data-testid="overview"
      onPointerDown={(event) => {
        if (!zoomed) return;
        event.currentTarget.setPointerCapture(event.pointerId);
        const at = frameAt(event);
        const inside = at >= span.first && at <= span.last + 1;
        grip.current = inside ? at - span.first : count(span) / 2;
        if (!inside) to(at - grip.current);
      }}
      onPointerMove={(event) => {
        if (grip.current !== null && event.buttons & 1) to(frameAt(event) - grip.current);
      }}
      onPointerUp={() => {
        grip.current = null;
      }}
      onDoubleClick={() => set({ span: null })}
    >
      <span className="absolute top-[3px] h-px w-full bg-line" />
      {loud.map(([n, value]) => (
        <span
          key={n}
          className={`absolute top-[2px] h-[3px] ${value >= 2 ? "bg-loud" : "bg-noticeable"}`}
          style={{ left: percent(n - all.first), width: `max(2px, ${percent(1)})` }}
        />
      ))}
      {zoomed && (
        <span
          className="absolute top-[1px] h-[5px] rounded-full bg-felt-3 outline outline-line"
          style={{ left: percent(span.first - all.first), width: percent(count(span)) }}
        />
      )}
      <span className="absolute top-0 h-full w-[1.5px] bg-ink" style={{ left: percent(frame - all.first + 0.5) }} />
    </div>
  );
}
