import { Dialog } from "radix-ui";
import { useState } from "react";
import { client, type Shot } from "../../api/client";
import { keys, queries, useProxies } from "../../api/queries";
import { Button } from "../../ui/controls";
import { STATUS } from "./cards";
import { Field, type Given, TextField } from "./fields";
import { asked, ShotFields } from "./ShotFields";
import { bytes, depthWords, ranges, rateText } from "./words";

/** A shot's clip as it was found and corrected, and what it takes on disk. */
export function ClipDialog({ shot, onClose }: { shot: Shot; onClose: () => void }) {
  const { clip } = shot;
  const text = (value: number | null) => (value === null || value === undefined ? "" : String(value));
  const [given, setGiven] = useState<Given & { note: string; status: string }>({
    name: shot.name,
    rate: rateText({ num: clip.rate_num, den: clip.rate_den }),
    first: "",
    cut_in: text(shot.cut_in),
    cut_out: text(shot.cut_out),
    handles: String(shot.handles),
    timecode: clip.timecode,
    pixel_aspect: String(clip.pixel_aspect),
    space: clip.space,
    note: shot.note,
    status: shot.status,
  });
  const [problem, setProblem] = useState("");
  const set = (part: Partial<typeof given>) => setGiven({ ...given, ...part });
  const frames = clip.clip_last - clip.clip_first + 1;
  const keep = async () => {
    const wanted = asked(given);
    if (typeof wanted === "string") {
      setProblem(wanted);
      return;
    }
    try {
      await client.PATCH("/api/shots/{shot}", {
        params: { path: { shot: shot.id } },
        body: { ...wanted, note: given.note, status: given.status },
      });
      void queries.invalidateQueries({ queryKey: keys.jobs });
      void queries.invalidateQueries({ queryKey: keys.shot(shot.id) });
      onClose();
    } catch (error) {
      setProblem((error as Error).message);
    }
  };
  return (
    <Dialog.Root open onOpenChange={(now) => !now && onClose()}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-30 bg-black/50" />
        <Dialog.Content className="thin-scroll fixed top-1/2 left-1/2 z-40 flex max-h-[94vh] w-[600px] -translate-x-1/2 -translate-y-1/2 flex-col gap-2.5 overflow-y-auto rounded-xl border border-line bg-felt-1 p-5 shadow-2xl">
          <Dialog.Title className="text-[15px] font-semibold">{shot.name}</Dialog.Title>
          <Dialog.Description className="figure text-soft">
            {clip.name} · {clip.width} × {clip.height} · {depthWords(clip)} · {clip.codec} · {clip.clip_first} to{" "}
            {clip.clip_last}
          </Dialog.Description>
          <TextField label="Shot name" value={given.name} onChange={(name) => set({ name })} wide />
          <Field label="Note">
            <input
              aria-label="Note"
              value={given.note}
              onChange={(e) => set({ note: e.target.value })}
              className="h-7 w-full rounded-md border border-line bg-felt-0 px-2 select-text"
            />
          </Field>
          <Field label="Status">
            <select
              aria-label="Status"
              value={given.status}
              onChange={(e) => set({ status: e.target.value })}
              className="h-7 rounded-md border border-line bg-felt-0 px-1.5"
            >
              {Object.entries(STATUS).map(([value, words]) => (
                <option key={value} value={value}>
                  {words}
                </option>
              ))}
            </select>
          </Field>
          <ShotFields
            given={given}
            onChange={set}
            found={{ space: clip.space, frames, rate: clip.found_rate, movie: clip.kind === "movie" }}
            notes={{
              space:
                given.space === clip.space
                  ? ""
                  : "Light, blends and the view follow this at once; delivered values outside the mattes stay as they are.",
              timecode: "Of the clip's first frame.",
            }}
          />
          {clip.missing.length > 0 && <p className="text-noticeable">Cannot be used: {ranges(clip.missing)}.</p>}
          <Proxies shot={shot} />
          {problem && (
            <p role="alert" className="text-noticeable">
              {problem}
            </p>
          )}
          <div className="flex justify-end gap-2">
            <Dialog.Close asChild>
              <Button>Cancel</Button>
            </Dialog.Close>
            <Button look="main" onClick={() => void keep()}>
              Keep
            </Button>
          </div>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}

function Proxies({ shot }: { shot: Shot }) {
  const { data } = useProxies(shot.id);
  const again = () => void queries.invalidateQueries({ queryKey: keys.proxies(shot.id) });
  const build = () => client.POST("/api/shots/{shot}/proxies", { params: { path: { shot: shot.id } } }).then(again);
  const clear = () => client.DELETE("/api/shots/{shot}/proxies", { params: { path: { shot: shot.id } } }).then(again);
  if (!data) return null;
  return (
    <Field label="Proxies" note="Pictures for the screen only; they come back when they are looked at.">
      <span className="figure text-soft">
        {data.frames} of {data.of} frames, {bytes(data.bytes)}
      </span>
      {data.frames < data.of && <Button onClick={() => void build()}>Make the rest</Button>}
      {data.files > 0 && <Button onClick={() => void clear()}>Clear</Button>}
    </Field>
  );
}
