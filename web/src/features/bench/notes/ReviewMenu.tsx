import { Popover } from "radix-ui";
import { useState } from "react";
import { client, type Note, type Shot } from "../../../api/client";
import { keys, queries } from "../../../api/queries";
import { ofReview, onNote, useReview } from "../../../api/reviews";
import { Button } from "../../../ui/controls";
import { say } from "../../../ui/messages";
import { Answers, TickOff } from "../../../ui/notes";
import { useBench } from "../store";

/** Notes on the shot, its versions, and sending it to review. */
export function ReviewMenu({ shot, onReview }: { shot: Shot; onReview: () => void }) {
  const review = useReview(shot.id).data;
  const [sending, setSending] = useState<string | null>(null);
  const open = review?.notes.filter((note) => !note.done) ?? [];
  const said = review?.verdicts[0];
  const params = { path: { shot: shot.id } };
  const keep = async (name: string, send: boolean) => {
    const body = { name };
    const sent = send
      ? client.POST("/api/shots/{shot}/send", { params, body })
      : client.POST("/api/shots/{shot}/versions", { params, body });
    if (await ofReview(shot.id, sent, say)) setSending(null);
  };
  const goBack = (version: number) =>
    void ofReview(shot.id, client.POST("/api/versions/{version}/go-back", { params: { path: { version } } }), say).then(
      () => {
        void queries.invalidateQueries({ queryKey: keys.fixes(shot.id) });
        void queries.invalidateQueries({ queryKey: keys.shot(shot.id) });
      },
    );
  return (
    <Popover.Root>
      <Popover.Trigger className="h-7 rounded-md px-2 text-soft hover:bg-felt-2 hover:text-ink">
        Review
        {open.length > 0 && (
          <span className="figure ml-1.5 rounded-full bg-thread px-1.5 text-felt-0">{open.length}</span>
        )}
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="end"
          sideOffset={8}
          onKeyDown={(event) => event.stopPropagation()}
          className="thin-scroll z-40 flex max-h-[78vh] w-[360px] flex-col gap-3 overflow-y-auto rounded-xl border border-line bg-felt-1 p-4 shadow-2xl"
        >
          <div className="flex items-center gap-2">
            <span className="text-soft">{shot.status_words}</span>
            <span className="ml-auto" />
            <Button onClick={onReview}>Look at it alone</Button>
            <Button look="main" onClick={() => void keep("", true)}>
              Send to review
            </Button>
          </div>
          {said && (
            <p className={said.approved ? "text-quiet" : "text-noticeable"}>
              {said.approved ? "Approved" : "Returned"} by {said.by}
              {said.words ? `: ${said.words}` : ""}
            </p>
          )}
          <section aria-label="Notes" className="stitch-t flex flex-col gap-1.5 pt-3">
            <h3 className="text-soft">Notes</h3>
            {review?.notes.length === 0 && <p className="text-faint">None yet.</p>}
            {review?.notes.map((note) => (
              <NoteLine key={note.id} note={note} />
            ))}
          </section>
          <section aria-label="Versions" className="stitch-t flex flex-col gap-1.5 pt-3">
            <div className="flex items-center">
              <h3 className="text-soft">Versions</h3>
              {sending === null && (
                <Button look="dashed" className="ml-auto" onClick={() => setSending("")}>
                  Name this state
                </Button>
              )}
            </div>
            {sending !== null && (
              <input
                // biome-ignore lint/a11y/noAutofocus: it has just been asked for
                autoFocus
                aria-label="Name of the version"
                placeholder="Name, then Enter"
                value={sending}
                onChange={(event) => setSending(event.target.value)}
                onKeyDown={(event) => {
                  if (event.key === "Enter") void keep(sending, false);
                  if (event.key === "Escape") setSending(null);
                }}
                className="h-7 rounded-md border border-line bg-felt-0 px-2 select-text"
              />
            )}
            {review?.versions.map((version) => (
              <div key={version.id} className="flex items-center gap-2">
                <span className="figure w-5 text-faint">{version.number}</span>
                <span
                  className="min-w-0 flex-1 truncate"
                  title={`${version.by}, ${version.made.slice(0, 16).replace("T", " ")}`}
                >
                  {version.name}
                  {version.sent && <span className="text-faint"> · sent</span>}
                </span>
                <Button
                  tip="Bring the shot back to this; how it stands now is kept as a version"
                  onClick={() => goBack(version.id)}
                >
                  Go back to it
                </Button>
              </div>
            ))}
          </section>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

function NoteLine({ note }: { note: Note }) {
  const { note: chosen, set } = useBench();
  const { tick, answer } = onNote(note, say);
  return (
    <article aria-label={`Note on ${note.frame}`} className={`flex flex-col gap-1 ${note.done ? "opacity-60" : ""}`}>
      <div className="flex items-start gap-2">
        <button
          type="button"
          className="figure rounded bg-felt-0 px-1.5 hover:text-thread"
          onClick={() => set({ frame: note.frame, playing: false, main: "shot", note: note.id })}
        >
          {note.frame}
        </button>
        <p className="min-w-0 flex-1 break-words select-text">
          {note.words} <span className="text-faint">{note.by}</span>
        </p>
        <TickOff frame={note.frame} done={note.done} onTick={tick} />
      </div>
      <div className="ml-12 flex flex-col gap-1">
        <Answers frame={note.frame} answers={note.answers} onAnswer={chosen === note.id ? answer : null} />
      </div>
    </article>
  );
}
