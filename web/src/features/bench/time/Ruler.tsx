import type { ReactNode } from "react";
import type { Fix, Hold } from "../../../api/client";
import { useBench } from "../store";
import { useScrub } from "./scrub";

interface RulerProps {
  first: number;
  last: number;
  frame: number;
  plates: Fix["plates"];
  chosen: number | undefined;
  hold: Hold | null;
  children: ReactNode;
}

export function Ruler({ first, last, frame, plates, chosen, hold, children }: RulerProps) {
  const anchor = hold?.anchor;
  const range = useBench((state) => state.range);
  const scrub = useScrub(first, last);
  const total = last - first + 1;
  const every = [5, 6, 10, 12, 24, 25, 50, 100, 200, 500].find((step) => total / step <= 17) ?? 1000;
  const at = (n: number) => `${((n - first + 0.5) / total) * 100}%`;
  const ticks = Array.from({ length: Math.ceil(total / every) }, (_, k) => first + k * every);
  return (
    <div className="relative h-9 flex-1 cursor-ew-resize" {...scrub} data-testid="ruler">
      {ticks.map((n) => (
        <span key={n} className="figure absolute top-0 text-[11px] text-faint" style={{ left: at(n) }}>
          <span className="absolute top-4 left-0 h-2 w-px bg-line" />
          <span className={n + every / 2 > last ? "-translate-x-full absolute" : ""}>{n}</span>
        </span>
      ))}
      {anchor !== undefined && (
        <span
          title={`Anchor frame ${anchor}`}
          className="absolute bottom-0.5 size-2 -translate-x-1/2 rotate-45 bg-ink"
          style={{ left: at(anchor) }}
        />
      )}
      {hold?.keys.map((key) => (
        <span
          key={key.frame}
          title={`Key ${key.frame}: set by hand`}
          className="absolute bottom-0.5 size-2 -translate-x-1/2 rotate-45 border border-thread bg-felt-1"
          style={{ left: at(key.frame) }}
        />
      ))}
      {plates.map((plate) => (
        <span
          key={plate.id}
          title={`Plate ${plate.frame}, serves ${plate.first} to ${plate.last}`}
          className={`absolute bottom-0 h-2.5 w-3 -translate-x-1/2 rounded-[3px] outline outline-felt-1 ${plate.id === chosen ? "bg-thread" : "bg-thread/50"}`}
          style={{ left: at(plate.frame) }}
        />
      ))}
      {range && (
        <span
          title={`Plays ${range.first} to ${range.last}. I and O set it, P clears it.`}
          className="absolute top-[14px] h-1 rounded bg-thread/70"
          style={{
            left: `${((range.first - first) / total) * 100}%`,
            width: `${((range.last - range.first + 1) / total) * 100}%`,
          }}
        />
      )}
      {children}
      <span className="absolute -bottom-[26px] top-4 z-10 w-[1.5px] bg-ink" style={{ left: at(frame) }} />
    </div>
  );
}
