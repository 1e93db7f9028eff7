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
import type { Shot } from "../../../api/client";
import { framesOf, timecode } from "../../../canvas/timecode";
import { useBench } from "../store";

export function Transport({ shot }: { shot: Shot }) {
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

export function Figures({ shot }: { shot: Shot }) {
  const frame = useBench((state) => state.frame);
  const speed = useBench((state) => state.speed);
  return (
    <>
      <span className="figure text-soft">{timeOf(shot, frame)}</span>
      <span className="figure whitespace-nowrap text-[11px] text-faint" data-testid="speed">
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
