import { MapPin, Pencil } from "lucide-react";
import { useState } from "react";
import { client, type Note, type Shot } from "../../api/client";
import { ofReview, onNote } from "../../api/reviews";
import { Button } from "../../ui/controls";
import { say } from "../../ui/messages";
import { Answers, TickOff } from "../../ui/notes";
import { goTo, useReviewRoom } from "./state";

interface Props {
  shot: Shot;
  notes: Note[];
  version: number | null;
}

/** The notes of a shot, and a new one. */
export function Notes({ shot, notes, version }: Props) {
  const chosen = useReviewRoom((state) => state.note);
  const open = notes.filter((note) => !note.done);
  const done = notes.filter((note) => note.done);
  return (
    <section aria-label="Notes" className="flex min-h-0 flex-1 flex-col gap-2">
      <NewNote shot={shot} version={version} />
      <div className="thin-scroll flex min-h-0 flex-1 flex-col gap-1.5 overflow-y-auto pr-1">
        {notes.length === 0 && (
          <p className="text-soft">No notes yet. Go to the frame, pin a spot, write what you see.</p>
        )}
        {open.map((note) => (
          <NoteCard key={note.id} note={note} chosen={note.id === chosen} />
        ))}
        {done.length > 0 && <p className="pt-1 text-soft">Ticked off</p>}
        {done.map((note) => (
          <NoteCard key={note.id} note={note} chosen={note.id === chosen} />
        ))}
      </div>
    </section>
  );
}

function NewNote({ shot, version }: { shot: Shot; version: number | null }) {
  const { frame, tool, draft, set } = useReviewRoom();
  const [words, setWords] = useState("");
  const at = draft?.frame ?? frame;
  const send = async () => {
    const body = {
      frame: at,
      words,
      version,
      spot: draft?.spot ? ([draft.spot.x, draft.spot.y] as [number, number]) : null,
      lines: (draft?.lines ?? []).map((line) => line.map((p) => [p.x, p.y] as [number, number])),
    };
    const sent = client.POST("/api/shots/{shot}/notes", { params: { path: { shot: shot.id } }, body });
    if (await ofReview(shot.id, sent, say)) {
      setWords("");
      set({ draft: null, tool: "look" });
    }
  };
  return (
    <div className="flex flex-col gap-1.5 rounded-lg bg-felt-2 p-2">
      <textarea
        aria-label="New note"
        placeholder={`What do you see on ${at}?`}
        rows={3}
        value={words}
        onChange={(event) => setWords(event.target.value)}
        onKeyDown={(event) => {
          event.stopPropagation();
          if (event.key === "Enter" && (event.ctrlKey || event.metaKey)) void send();
        }}
        className="resize-none rounded-md border border-line bg-felt-0 px-2 py-1.5 select-text"
      />
      <div className="flex items-center gap-1.5">
        <Button
          aria-pressed={tool === "pin"}
          className={`flex items-center gap-1 ${tool === "pin" || draft?.spot ? "!border-thread" : ""}`}
          onClick={() => set({ tool: tool === "pin" ? "look" : "pin", playing: false })}
        >
          <MapPin size={13} /> {draft?.spot ? "Pinned" : "Pin"}
        </Button>
        <Button
          aria-pressed={tool === "draw"}
          className={`flex items-center gap-1 ${tool === "draw" || draft?.lines.length ? "!border-thread" : ""}`}
          onClick={() => set({ tool: tool === "draw" ? "look" : "draw", playing: false })}
        >
          <Pencil size={13} /> Draw
        </Button>
        {draft && (
          <button
            type="button"
            className="text-faint hover:text-ink"
            onClick={() => set({ draft: null, tool: "look" })}
          >
            Wipe
          </button>
        )}
        <Button look="main" className="ml-auto" disabled={!words.trim()} onClick={() => void send()}>
          Add note
        </Button>
      </div>
    </div>
  );
}

function NoteCard({ note, chosen }: { note: Note; chosen: boolean }) {
  const { tick, answer, takeBack } = onNote(note, say);
  return (
    <article
      aria-label={`Note on ${note.frame}`}
      className={`flex flex-col gap-1 rounded-lg border bg-felt-2 p-2 ${chosen ? "border-thread" : "border-transparent"} ${note.done ? "opacity-70" : ""}`}
    >
      <div className="flex items-center gap-2">
        <button
          type="button"
          className="figure rounded bg-felt-0 px-1.5 hover:text-thread"
          onClick={() => goTo(note.frame, note.id)}
        >
          {note.frame}
        </button>
        <span className="truncate text-soft">{note.by}</span>
        <TickOff frame={note.frame} done={note.done} onTick={tick} />
      </div>
      <p className="break-words whitespace-pre-wrap select-text">{note.words}</p>
      {note.done && <p className="text-faint">Ticked off by {note.done_by}</p>}
      <Answers frame={note.frame} answers={note.answers} onAnswer={chosen ? answer : null} />
      {note.mine && chosen && (
        <button type="button" className="self-start text-faint hover:text-ink" onClick={takeBack}>
          Take it back
        </button>
      )}
    </article>
  );
}
