import { Check } from "lucide-react";
import { useState } from "react";

interface Said {
  id: number;
  by: string;
  words: string;
}

/** Ticks a note off, or opens it again. */
export function TickOff({ frame, done, onTick }: { frame: number; done: boolean; onTick: (done: boolean) => void }) {
  return (
    <button
      type="button"
      aria-label={done ? `Open the note on ${frame} again` : `Tick the note on ${frame} off`}
      aria-pressed={done}
      className={`ml-auto grid size-6 shrink-0 place-items-center rounded-full border ${done ? "border-quiet text-quiet" : "border-line text-faint hover:text-ink"}`}
      onClick={() => onTick(!done)}
    >
      <Check size={13} />
    </button>
  );
}

/** What was answered to a note, and a field for one more where `onAnswer` is given; it is emptied once that is kept. */
export function Answers({
  frame,
  answers,
  onAnswer,
}: {
  frame: number;
  answers: Said[];
  onAnswer: ((words: string) => Promise<boolean>) | null;
}) {
  const [reply, setReply] = useState("");
  return (
    <>
      {answers.map((one) => (
        <p key={one.id} className="border-l border-line pl-2 break-words whitespace-pre-wrap text-soft select-text">
          <b className="font-medium text-ink">{one.by}</b> {one.words}
        </p>
      ))}
      {onAnswer && (
        <input
          aria-label={`Answer the note on ${frame}`}
          placeholder="Answer, then Enter"
          value={reply}
          onChange={(event) => setReply(event.target.value)}
          onKeyDown={(event) => {
            event.stopPropagation();
            if (event.key === "Enter" && reply.trim()) void onAnswer(reply).then((kept) => kept && setReply(""));
          }}
          className="h-7 rounded-md border border-line bg-felt-0 px-2 select-text"
        />
      )}
    </>
  );
}
