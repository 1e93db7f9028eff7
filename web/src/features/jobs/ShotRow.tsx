import { useState } from "react";
import { client, type Schemas, type Shot } from "../../api/client";
import { ofJobs } from "../../api/queries";
import { Confirm, Menu } from "../../ui/menu";
import { say } from "../../ui/messages";
import { Written } from "../../ui/Written";
import { ClipDialog } from "./ClipDialog";
import { type Card, fixesWords, STATUS } from "./cards";
import { Poster } from "./Poster";
import { ShotRibbon } from "./ShotRibbon";
import { depthWords, ranges, rateText } from "./words";

/** One shot: what it looks like, where it is loud, how far it is. */
export function ShotRow({ shot, card, onOpen }: { shot: Shot; card: Card | undefined; onOpen: () => void }) {
  const [correcting, setCorrecting] = useState(false);
  const [deleting, setDeleting] = useState(false);
  const { clip } = shot;
  const total = clip.last - clip.first + 1;
  const params = { path: { shot: shot.id } };
  const keep = (body: Schemas["ShotIn"]) => ofJobs(client.PATCH("/api/shots/{shot}", { params, body }), say);
  return (
    <li
      className={`flex items-center gap-4 rounded-lg bg-felt-2 p-2 hover:bg-felt-3/60 ${shot.put_away ? "opacity-70" : ""}`}
    >
      <button
        type="button"
        aria-label={`Open ${shot.name}`}
        title="Open the shot"
        onClick={onOpen}
        className="rounded-md"
      >
        <Poster shot={shot} card={card} />
      </button>
      <div className="flex min-w-0 flex-1 flex-col gap-0.5">
        <div className="flex items-baseline gap-3">
          <button
            type="button"
            onClick={onOpen}
            className="truncate rounded text-[14px] font-semibold hover:text-thread"
          >
            {shot.name}
          </button>
          <span className="truncate text-soft">{fixesWords(card)}</span>
        </div>
        <div className="-ml-1">
          <Written
            label={`Note on ${shot.name}`}
            value={shot.note}
            empty="Add a note"
            className="text-soft"
            onKeep={(note) => keep({ note })}
          />
        </div>
        <ShotRibbon card={card} />
        <span className="figure truncate text-[11.5px] text-faint" title={clipWords(shot)}>
          {clip.width} × {clip.height} · {depthWords(clip)} {clip.codec.split(",")[0]!.toUpperCase()} ·{" "}
          {clip.space_words} · {total} frames at {rateText({ num: clip.rate_num, den: clip.rate_den })}
        </span>
        {clip.missing.length > 0 && <span className="text-noticeable">Cannot be used: {ranges(clip.missing)}</span>}
      </div>
      <select
        aria-label={`Status of ${shot.name}`}
        value={shot.status}
        onChange={(event) => keep({ status: event.target.value })}
        className="h-7 w-[104px] shrink-0 cursor-pointer rounded-full border border-line bg-felt-1 px-2.5 text-soft hover:text-ink"
      >
        {Object.entries(STATUS).map(([status, words]) => (
          <option key={status} value={status}>
            {words}
          </option>
        ))}
      </select>
      <Menu
        label={`More of ${shot.name}`}
        groups={[
          [
            { words: "Clip and corrections", act: () => setCorrecting(true) },
            {
              words: shot.put_away ? "Take out again" : "Put away",
              act: () => keep({ put_away: !shot.put_away }),
            },
          ],
          [{ words: "Delete", grave: true, act: () => setDeleting(true) }],
        ]}
      />
      {correcting && <ClipDialog shot={shot} onClose={() => setCorrecting(false)} />}
      {deleting && (
        <Confirm
          title={`Delete ${shot.name}?`}
          words="Its fixes, plates and strokes go for good. The footage and what was delivered stay on the disk. To get it out of the way only, put it away."
          act="Delete the shot"
          onAct={() => ofJobs(client.DELETE("/api/shots/{shot}", { params }), say)}
          onClose={() => setDeleting(false)}
        />
      )}
    </li>
  );
}

/** What more there is to know of a clip. */
function clipWords({ clip }: Shot): string {
  const seconds = ((clip.last - clip.first + 1) * clip.rate_den) / clip.rate_num;
  return `${clip.name}: ${clip.first} to ${clip.last}, ${seconds.toFixed(2)} s${clip.timecode ? `, from ${clip.timecode}` : ""}`;
}
