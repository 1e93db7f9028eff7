import type { ReactNode } from "react";
import type { Fix, Hold, Shot } from "../../../api/client";
import { useReview } from "../../../api/reviews";
import { useBench } from "../store";
import { useScrub } from "./scrub";
import { count, useSpan } from "./span";

interface RulerProps {
  shot: Shot;
  plates: Fix["plates"];
  chosen: number | undefined;
  hold: Hold | null;
  children: ReactNode;
}

const STEPS = [1, 2, 5, 6, 10, 12, 24, 25, 50, 100, 200, 500, 1000, 2000, 5000];
const MOST_TICKS = 17;

/** Frame numbers, the plates and the corrections on them, and where we are. */
export function Ruler({ shot, plates, chosen, hold, children }: RulerProps) {
  const range = useBench((state) => state.range);
  const frame = useBench((state) => state.frame);
  const set = useBench((state) => state.set);
  const notes = useReview(shot.id).data?.notes ?? [];
  const span = useSpan(shot);
  const scrub = useScrub(shot);
  const { first, last } = span;
  const total = count(span);
  const every = STEPS.find((step) => total / step <= MOST_TICKS) ?? 10_000;
  const at = (n: number) => `${((n - first + 0.5) / total) * 100}%`;
  const shows = (n: number | undefined): n is number => n !== undefined && n >= first && n <= last;
  const start = shot.clip.first + Math.ceil((first - shot.clip.first) / every) * every;
  const ticks = Array.from({ length: Math.max(0, Math.ceil((last - start + 1) / every)) }, (_, k) => start + k * every);
  return (
    <div className="relative h-9 flex-1 cursor-ew-resize" {...scrub} data-testid="ruler">
      {ticks.map((n) => (
        <span key={n} className="figure absolute top-0 text-[11px] text-faint" style={{ left: at(n) }}>
          <span className="absolute top-4 left-0 h-2 w-px bg-line" />
          <span className={n + every / 2 > last ? "-translate-x-full absolute" : ""}>{n}</span>
        </span>
      ))}
      {shows(hold?.anchor) && (
        <span
          title={`Anchor frame ${hold?.anchor}`}
          className="absolute bottom-0.5 size-2 -translate-x-1/2 rotate-45 bg-ink"
          style={{ left: at(hold!.anchor) }}
        />
      )}
      {hold?.keys
        .filter((key) => shows(key.frame))
        .map((key) => (
          <span
            key={key.frame}
            title={`Key ${key.frame}: set by hand`}
            className="absolute bottom-0.5 size-2 -translate-x-1/2 rotate-45 border border-thread bg-felt-1"
            style={{ left: at(key.frame) }}
          />
        ))}
      {plates
        .filter((plate) => shows(plate.frame))
        .map((plate) => (
          <span
            key={plate.id}
            title={`Plate ${plate.frame}, serves ${plate.first} to ${plate.last}`}
            className={`absolute bottom-0 h-2.5 w-3 -translate-x-1/2 rounded-[3px] outline outline-felt-1 ${plate.id === chosen ? "bg-thread" : "bg-thread/50"}`}
            style={{ left: at(plate.frame) }}
          />
        ))}
      {range && range.last >= first && range.first <= last && (
        <span
          title={`Plays ${range.first} to ${range.last}. I and O set it, P clears it.`}
          className="absolute top-[14px] h-1 rounded bg-thread/70"
          style={{
            left: `${((Math.max(range.first, first) - first) / total) * 100}%`,
            width: `${((Math.min(range.last, last) - Math.max(range.first, first) + 1) / total) * 100}%`,
          }}
        />
      )}
      {notes
        .filter((note) => shows(note.frame))
        .map((note) => (
          <button
            key={note.id}
            type="button"
            aria-label={`To the note on ${note.frame}`}
            title={`${note.by}: ${note.words}`}
            onPointerDown={(event) => event.stopPropagation()}
            onClick={() => set({ frame: note.frame, playing: false, main: "shot", note: note.id })}
            className={`absolute top-3.5 z-20 size-2.5 -translate-x-1/2 rounded-full border border-felt-1 ${note.done ? "bg-line" : "bg-[#ffffff]"}`}
            style={{ left: at(note.frame) }}
          />
        ))}
      {children}
      {shows(frame) && (
        <span
          className="pointer-events-none absolute -bottom-[90px] top-4 z-10 w-[1.5px] bg-ink"
          style={{ left: at(frame) }}
        />
      )}
    </div>
  );
}
