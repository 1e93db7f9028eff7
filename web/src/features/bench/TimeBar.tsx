import {
  ArrowLeftRight,
  ArrowRightToLine,
  ChevronFirst,
  ChevronLast,
  Pause,
  Play,
  Repeat,
  StepBack,
  StepForward,
} from "lucide-react";
import { type PointerEvent, type ReactNode, useEffect, useLayoutEffect, useRef, useState } from "react";
import type { Fix, Hold, Shot } from "../../api/client";
import { useTells } from "../../api/queries";
import { framesOf, timecode } from "../../canvas/player";
import { Crop } from "./Crop";
import { cropAddress, isHeld, isOff, level, loudest, TELLS, tellLevel } from "./model";
import { addressOf, store } from "./pictures";
import { useBench } from "./store";

const COLOURS = { quiet: "#3c4f49", noticeable: "#e0a13c", loud: "#e2603d", none: "#2b2b2b" };
const STRIP = 12;
const GUTTER = "w-[206px] shrink-0";

/** Time: transport, ruler, the drift ribbon and the strip of crops. */
export function TimeBar({ shot, fix, fixes }: { shot: Shot; fix: Fix | null; fixes: Fix[] }) {
  const { clip } = shot;
  const frame = useBench((state) => state.frame);
  return (
    <section aria-label="Time" className="stitch-t flex shrink-0 flex-col gap-1.5 py-2 pr-3">
      <div className="flex items-end">
        <div className={`${GUTTER} flex items-center gap-0.5 px-2`}>
          <Transport shot={shot} />
        </div>
        <Ruler
          first={clip.first}
          last={clip.last}
          frame={frame}
          plates={fix?.plates ?? []}
          chosen={fix?.plate?.id}
          hold={fix?.hold ?? null}
        >
          <Cached shot={shot} fixes={fixes} />
        </Ruler>
      </div>
      <div className="flex items-center">
        <div className={`${GUTTER} flex items-center gap-3 px-3`}>
          <Figures shot={shot} />
        </div>
        <Ribbon first={clip.first} last={clip.last} fix={fix} frame={frame} />
      </div>
      {fix && !fix.lacks && <TellRibbons fix={fix} first={clip.first} last={clip.last} />}
      {fix?.hold && fix.edge.nodes.length > 0 && <Strip shot={shot} fix={fix} fixes={fixes} frame={frame} />}
    </section>
  );
}

function Transport({ shot }: { shot: Shot }) {
  const { frame, playing, set } = useBench();
  const { first, last } = shot.clip;
  const go = (to: number) => set({ frame: Math.min(last, Math.max(first, to)), playing: false });
  const button = "grid size-7 place-items-center rounded-md text-soft hover:bg-felt-2 hover:text-ink";
  return (
    <>
      <button
        type="button"
        aria-label="First frame"
        title="First frame (Home)"
        className={button}
        onClick={() => go(first)}
      >
        <ChevronFirst size={15} />
      </button>
      <button
        type="button"
        aria-label="Step back"
        title="Step back (←)"
        className={button}
        onClick={() => go(frame - 1)}
      >
        <StepBack size={14} />
      </button>
      <button
        type="button"
        aria-label={playing ? "Pause" : "Play"}
        title="Play or pause (Space)"
        className={`${button} !text-ink`}
        onClick={() => set({ playing: !playing })}
      >
        {playing ? <Pause size={16} fill="currentColor" /> : <Play size={16} fill="currentColor" />}
      </button>
      <button type="button" aria-label="Step on" title="Step on (→)" className={button} onClick={() => go(frame + 1)}>
        <StepForward size={14} />
      </button>
      <button
        type="button"
        aria-label="Last frame"
        title="Last frame (End)"
        className={button}
        onClick={() => go(last)}
      >
        <ChevronLast size={15} />
      </button>
      <RoundButton className={button} />
      <span className="figure ml-auto text-[14px]" data-testid="frame">
        {frame}
      </span>
    </>
  );
}

/** Timecode of a frame: the clip's own where it has one, else counted from the first frame. */
function timeOf({ clip }: Shot, frame: number): string {
  const rate = clip.rate_num / clip.rate_den;
  const start = clip.timecode ? framesOf(clip.timecode, rate) : null;
  return start === null
    ? timecode(frame - clip.first, rate)
    : timecode(start + frame - clip.clip_first, rate, /[;.]/.test(clip.timecode));
}

const rateWords = (num: number, den: number) => (den === 1 ? String(num) : (num / den).toFixed(3));

function Figures({ shot }: { shot: Shot }) {
  const frame = useBench((state) => state.frame);
  const speed = useBench((state) => state.speed);
  return (
    <>
      <span className="figure text-soft">{timeOf(shot, frame)}</span>
      <span className="figure ml-auto whitespace-nowrap text-faint" data-testid="speed">
        {speed
          ? `${speed.measured.toFixed(1)} f/s, ${speed.dropped} dropped`
          : `${rateWords(shot.clip.rate_num, shot.clip.rate_den)} f/s`}
      </span>
    </>
  );
}

const ROUNDS = { loop: Repeat, bounce: ArrowLeftRight, once: ArrowRightToLine };
const ROUND_WORDS = { loop: "Round and round", bounce: "There and back", once: "Once" };

function RoundButton({ className }: { className: string }) {
  const round = useBench((state) => state.round);
  const Icon = ROUNDS[round];
  const next = { loop: "bounce", bounce: "once", once: "loop" } as const;
  return (
    <button
      type="button"
      aria-label={`Plays: ${ROUND_WORDS[round]}`}
      title={`${ROUND_WORDS[round]}. Press for ${ROUND_WORDS[next[round]].toLowerCase()} (R). I and O set the range, P clears it.`}
      className={className}
      onClick={() => useBench.setState({ round: next[round], playing: false })}
    >
      <Icon size={14} />
    </button>
  );
}

const LOOK_AGAIN = 400; // ms between looks at what is in memory

/** Which frames would play without waiting, as a thin line under the numbers. */
function Cached({ shot, fixes }: { shot: Shot; fixes: Fix[] }) {
  const { first, last } = shot.clip;
  const canvas = useRef<HTMLCanvasElement>(null);
  const { compare, channel, stress } = useBench();
  const [turn, setTurn] = useState(0);
  useEffect(() => {
    const clock = setInterval(() => setTurn(store.turn), LOOK_AGAIN);
    return () => clearInterval(clock);
  }, []);
  // biome-ignore lint/correctness/useExhaustiveDependencies: the store's turn is the signal
  useLayoutEffect(() => {
    const element = canvas.current;
    const ink = element?.getContext("2d");
    if (!element || !ink) return;
    const total = last - first + 1;
    element.width = element.clientWidth;
    const step = element.width / total;
    ink.clearRect(0, 0, element.width, element.height);
    ink.fillStyle = "#7d7d7a";
    const way = { wide: 1280, channel, stress: compare === "stress" ? stress : null };
    for (let frame = first; frame <= last; frame++)
      if (store.holds(addressOf(shot, frame, compare === "split" ? "patched" : compare, fixes, way)))
        ink.fillRect((frame - first) * step, 0, Math.max(1, step), element.height);
  }, [turn, compare, channel, stress, shot, fixes, first, last]);
  return <canvas ref={canvas} height={2} className="absolute top-[26px] h-[2px] w-full" />;
}

function useScrub(first: number, last: number) {
  const set = useBench((state) => state.set);
  const to = (event: PointerEvent<HTMLElement>) => {
    const box = event.currentTarget.getBoundingClientRect();
    const part = (event.clientX - box.left) / box.width;
    const frame = first + Math.floor(part * (last - first + 1));
    set({ frame: Math.min(last, Math.max(first, frame)), playing: false });
  };
  return {
    onPointerDown: (event: PointerEvent<HTMLElement>) => {
      event.currentTarget.setPointerCapture(event.pointerId);
      to(event);
    },
    onPointerMove: (event: PointerEvent<HTMLElement>) => event.buttons & 1 && to(event),
  };
}

interface RulerProps {
  first: number;
  last: number;
  frame: number;
  plates: Fix["plates"];
  chosen: number | undefined;
  hold: Hold | null;
  children: ReactNode;
}

function Ruler({ first, last, frame, plates, chosen, hold, children }: RulerProps) {
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

function Ribbon({ first, last, fix, frame }: { first: number; last: number; fix: Fix | null; frame: number }) {
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
function TellRibbons({ fix, first, last }: { fix: Fix; first: number; last: number }) {
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

function Strip({ shot, fix, fixes, frame }: { shot: Shot; fix: Fix; fixes: Fix[]; frame: number }) {
  const set = useBench((state) => state.set);
  const { first, last } = shot.clip;
  const total = last - first + 1;
  const frames = Array.from({ length: STRIP }, (_, k) => first + Math.floor(((k + 0.5) * total) / STRIP));
  return (
    <div className="flex items-stretch">
      <div className={`${GUTTER} flex flex-col justify-around pr-3 text-right text-soft`}>
        <span>before</span>
        <span>after</span>
      </div>
      <div className="grid flex-1 grid-cols-12 gap-0.5">
        {frames.map((n) => (
          <button
            key={n}
            type="button"
            aria-label={`Go to ${n}`}
            onClick={() => set({ frame: n, playing: false })}
            className={`flex flex-col gap-0.5 ${Math.abs(n - frame) < total / STRIP / 2 ? "outline outline-1 outline-thread" : ""}`}
          >
            {[false, true].map((after) =>
              fix.hold && isHeld(fix.hold, n) && !(after && fix.lacks) ? (
                <Crop
                  key={String(after)}
                  words={`${after ? "after" : "before"} ${n}`}
                  address={cropAddress(fix, shot, n, fixes, after)}
                  delay={after ? 250 : 0}
                />
              ) : (
                <span key={String(after)} className="h-[42px] w-full bg-felt-2" />
              ),
            )}
          </button>
        ))}
      </div>
    </div>
  );
}
