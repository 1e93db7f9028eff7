import { ChevronLeft, ChevronRight, Pause, Play } from "lucide-react";
import { useEffect, useMemo, useState } from "react";
import { client, type Note, type Review, type Shot } from "../../api/client";
import { useShot } from "../../api/queries";
import { ofReview, useReview } from "../../api/reviews";
import { Button, Select } from "../../ui/controls";
import { MessageLine, say } from "../../ui/messages";
import { Notes } from "./Notes";
import { Screen } from "./Screen";
import { firstSide, sidesOf } from "./sides";
import { goTo, openReview, useReviewRoom } from "./state";
import { usePlaying } from "./usePictures";

interface Props {
  shot: number;
  onLeave: () => void;
  /** To the bench; none for who may not work there. */
  onWork: (() => void) | null;
}

/** A shot looked at, alone with its notes: what a reviewer sees. */
export function ReviewRoom({ shot: id, onLeave, onWork }: Props) {
  const shot = useShot(id);
  const review = useReview(id);
  const problem = shot.error ?? review.error;
  if (problem)
    return (
      <div role="alert" className="grid h-full place-items-center">
        <div className="flex flex-col items-center gap-3">
          {problem.message}
          <button type="button" className="text-thread" onClick={onLeave}>
            Back
          </button>
        </div>
      </div>
    );
  if (!shot.data || !review.data) return <p className="p-4 text-soft">Opening the shot</p>;
  return <Open shot={shot.data} review={review.data} onLeave={onLeave} onWork={onWork} />;
}

function Open({ shot, review, onLeave, onWork }: { shot: Shot; review: Review } & Omit<Props, "shot">) {
  const { frame, side, other, split, set } = useReviewRoom();
  const [stamp] = useState(Date.now);
  const sides = useMemo(() => sidesOf(shot, review.versions, stamp), [shot, review.versions, stamp]);
  const first = firstSide(sides, review.versions);
  // biome-ignore lint/correctness/useExhaustiveDependencies: opened once a shot
  useEffect(() => openReview(shot.clip.first, first), [shot.id]);
  const here = sides.find((one) => one.key === side) ?? sides.find((one) => one.key === first)!;
  const beside = sides.find((one) => one.key === other && one !== here) ?? sides.find((one) => one !== here)!;
  usePlaying(shot, split ? [here, beside] : [here]);
  useReviewKeys(shot);
  const options = sides.map((one) => ({ value: one.key, words: one.words }));
  const version = review.versions.find((one) => `v${one.id}` === here.key) ?? null;
  return (
    <div className="relative flex h-full flex-col">
      <header className="stitch-b flex min-h-[42px] shrink-0 flex-wrap items-center gap-x-3 gap-y-1.5 px-3 py-1.5">
        <button type="button" onClick={onLeave} className="text-[14px]" title="Back to the list">
          <b className="font-semibold">hush</b> <span className="text-soft">patch</span>
        </button>
        <span className="min-w-0 truncate text-soft">
          {shot.job_name} <span className="text-faint">/</span> <b className="font-medium text-ink">{shot.name}</b>
        </span>
        <span className="rounded-full border border-line px-2 text-soft">{shot.status_words}</span>
        <div className="ml-auto flex items-center gap-2">
          <div className="[&>div]:!w-44">
            <Select label="Shown" bare value={here.key} options={options} onChange={(next) => set({ side: next })} />
          </div>
          <Button aria-pressed={split} className={split ? "!border-thread" : ""} onClick={() => set({ split: !split })}>
            Split with
          </Button>
          <div className="[&>div]:!w-44">
            <Select
              label="Beside it"
              bare
              value={beside.key}
              options={options.filter((one) => one.value !== here.key)}
              onChange={(next) => set({ other: next, split: true })}
            />
          </div>
          {onWork && <Button onClick={onWork}>To the bench</Button>}
        </div>
      </header>
      <div className="flex min-h-0 flex-1 flex-col lg:flex-row">
        <div className="flex min-h-0 min-w-0 flex-1 flex-col">
          <Screen shot={shot} side={here} other={beside} notes={review.notes} />
          <Time shot={shot} frame={frame} notes={review.notes} />
        </div>
        <aside className="stitch-l flex h-[38vh] w-full shrink-0 flex-col gap-3 p-3 lg:h-auto lg:w-[300px]">
          <Judge shot={shot} review={review} version={version?.id ?? null} />
          <Notes shot={shot} notes={review.notes} version={version?.id ?? null} />
        </aside>
      </div>
      <MessageLine />
    </div>
  );
}

/** Approve or return what is shown; what was said of it. */
function Judge({ shot, review, version }: { shot: Shot; review: Review; version: number | null }) {
  const [returning, setReturning] = useState<string | null>(null);
  const may = review.role === "reviewer" || review.role === "supervisor";
  const said = review.verdicts.find((one) => one.version === version);
  const judge = async (approved: boolean, words: string) => {
    if (version === null) return;
    const sent = client.POST("/api/versions/{version}/verdict", {
      params: { path: { version } },
      body: { approved, words },
    });
    if (await ofReview(shot.id, sent, say)) setReturning(null);
  };
  return (
    <section aria-label="Verdict" className="flex flex-col gap-1.5">
      {said && (
        <p role="status" className={said.approved ? "text-quiet" : "text-noticeable"}>
          {said.approved ? "Approved" : "Returned"} by {said.by}
          {said.words ? `: ${said.words}` : ""}
        </p>
      )}
      {may && version === null && <p className="text-soft">Choose a version above to approve or return it.</p>}
      {may && version !== null && returning === null && (
        <div className="flex gap-2">
          <Button look="main" className="h-9 flex-1" onClick={() => void judge(true, "")}>
            Approve
          </Button>
          <Button className="h-9 flex-1" onClick={() => setReturning("")}>
            Return it
          </Button>
        </div>
      )}
      {returning !== null && (
        <form
          className="flex flex-col gap-1.5"
          onSubmit={(event) => {
            event.preventDefault();
            void judge(false, returning);
          }}
        >
          <textarea
            // biome-ignore lint/a11y/noAutofocus: it has just been asked for
            autoFocus
            aria-label="Why it is returned"
            placeholder="What is to be done? The open notes go along."
            rows={2}
            value={returning}
            onChange={(event) => setReturning(event.target.value)}
            onKeyDown={(event) => event.stopPropagation()}
            className="resize-none rounded-md border border-line bg-felt-0 px-2 py-1.5 select-text"
          />
          <div className="flex gap-2">
            <Button look="main" type="submit" className="flex-1">
              Return it
            </Button>
            <Button onClick={() => setReturning(null)}>Not yet</Button>
          </div>
        </form>
      )}
    </section>
  );
}

/** Transport and ruler, with the notes on it. */
function Time({ shot, frame, notes }: { shot: Shot; frame: number; notes: Note[] }) {
  const { playing, dropped, note, set } = useReviewRoom();
  const { first, last } = shot.clip;
  const at = (n: number) => `${((n - first + 0.5) / (last - first + 1)) * 100}%`;
  const step = (by: number) => goTo(Math.min(last, Math.max(first, frame + by)));
  const big = "grid size-10 place-items-center rounded-md text-soft hover:bg-felt-2 hover:text-ink";
  return (
    <div className="stitch-t flex shrink-0 items-center gap-1 px-2 py-1">
      <button type="button" aria-label="One frame back" className={big} onClick={() => step(-1)}>
        <ChevronLeft size={18} />
      </button>
      <button
        type="button"
        aria-label={playing ? "Stop playing" : "Play"}
        className={big}
        onClick={() => set({ playing: !playing })}
      >
        {playing ? <Pause size={18} /> : <Play size={18} />}
      </button>
      <button type="button" aria-label="One frame on" className={big} onClick={() => step(1)}>
        <ChevronRight size={18} />
      </button>
      <span className="figure w-14 text-center" data-testid="frame">
        {frame}
      </span>
      <div className="relative h-10 flex-1">
        <input
          type="range"
          aria-label="Frame"
          min={first}
          max={last}
          value={frame}
          onChange={(event) => goTo(Number(event.target.value))}
          className="absolute inset-x-0 top-3 w-full cursor-ew-resize accent-[#b9a8f2]"
        />
        {notes.map((one) => (
          <button
            key={one.id}
            type="button"
            aria-label={`To the note on ${one.frame}`}
            title={one.words}
            onClick={() => goTo(one.frame, one.id)}
            className={`absolute top-0 size-3 -translate-x-1/2 rounded-full border border-felt-0 ${one.done ? "bg-line" : one.id === note ? "bg-thread" : "bg-ink"}`}
            style={{ left: at(one.frame) }}
          />
        ))}
      </div>
      <span className="figure w-28 text-right text-faint" title="Frames that were due and not shown">
        {playing || dropped ? `${dropped} dropped` : ""}
      </span>
    </div>
  );
}

function useReviewKeys(shot: Shot) {
  useEffect(() => {
    const { first, last } = shot.clip;
    const press = (event: KeyboardEvent) => {
      const { frame, playing, set } = useReviewRoom.getState();
      if (event.target instanceof HTMLInputElement && event.target.type !== "range") return;
      if (event.target instanceof HTMLSelectElement) return;
      const wanted = { ArrowLeft: frame - 1, ArrowRight: frame + 1, Home: first, End: last }[event.key];
      if (event.key === " ") set({ playing: !playing });
      else if (wanted !== undefined) goTo(Math.min(last, Math.max(first, wanted)));
      else return;
      event.preventDefault();
    };
    window.addEventListener("keydown", press);
    return () => window.removeEventListener("keydown", press);
  }, [shot]);
}
