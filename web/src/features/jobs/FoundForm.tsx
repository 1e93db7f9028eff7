import { useState } from "react";
import { client, type Schemas } from "../../api/client";
import { useExamined } from "../../api/queries";
import { Button } from "../../ui/controls";
import { type Given, TextField } from "./fields";
import { asked, ShotFields } from "./ShotFields";
import { bytes, depthWords, ranges, rateOf, rateText } from "./words";

type Found = Schemas["FoundOut"];

/** Footage that was chosen: what it was found to be, each thing correctable, and the button that makes the shot. */
export function FoundForm({ job, place, onDone }: { job: number; place: string; onDone: () => void }) {
  const examined = useExamined(place);
  if (examined.isFetching)
    return <p className="p-4 text-soft">Looking at {place.split("/").pop()}, every frame of it</p>;
  if (examined.error)
    return (
      <p role="alert" className="m-4 rounded-md border border-noticeable p-3">
        {examined.error.message}
      </p>
    );
  return examined.data ? <Form key={place} job={job} place={place} found={examined.data} onDone={onDone} /> : null;
}

function Form({ job, place, found, onDone }: { job: number; place: string; found: Found; onDone: () => void }) {
  const [given, setGiven] = useState<Given>({
    name: found.name,
    rate: found.rate ? rateText(rateOf(found.rate)!) : "24",
    first: "1001",
    cut_in: "",
    cut_out: "",
    handles: "0",
    timecode: found.timecode,
    pixel_aspect: String(found.pixel_aspect),
    space: found.space,
  });
  const [problem, setProblem] = useState("");
  const [busy, setBusy] = useState(false);
  const set = (part: Partial<Given>) => setGiven({ ...given, ...part });
  const movie = found.kind === "movie";
  const bring = async () => {
    setProblem("");
    const wanted = asked(given);
    if (typeof wanted === "string") {
      setProblem(wanted);
      return;
    }
    setBusy(true);
    try {
      await client.POST("/api/jobs/{job}/shots", {
        params: { path: { job } },
        body: { ...wanted, place, note: "", first: movie && given.first.trim() ? Number(given.first) : null },
      });
      onDone();
    } catch (error) {
      setProblem((error as Error).message);
    }
    setBusy(false);
  };
  return (
    <form
      className="flex flex-col gap-2.5 p-4"
      aria-label={`Bring in ${found.name}`}
      onSubmit={(event) => {
        event.preventDefault();
        void bring();
      }}
    >
      <Facts found={found} />
      <TextField label="Shot name" value={given.name} onChange={(name) => set({ name })} wide />
      <ShotFields
        given={given}
        onChange={set}
        found={{ space: found.space, frames: found.count, rate: found.rate, movie }}
        notes={{
          space:
            given.space === found.space
              ? "As the files name it, or the usual one of their kind."
              : "Corrected: light, blends and the view follow this; delivered values outside the mattes stay as they are.",
          timecode: found.timecode
            ? "Of the first frame."
            : "The files carry none; give the first frame's if the edit needs it.",
        }}
      >
        {movie && (
          <TextField
            label="First frame"
            value={given.first}
            onChange={(first) => set({ first })}
            note="Movies carry no frame numbers; theirs begin here."
          />
        )}
      </ShotFields>
      {problem && (
        <p role="alert" className="text-noticeable">
          {problem}
        </p>
      )}
      <div>
        <Button look="main" type="submit" disabled={busy} className="h-8">
          {busy ? "Bringing in" : "Bring in as a shot"}
        </Button>
      </div>
    </form>
  );
}

function Facts({ found }: { found: Found }) {
  const odd = Object.entries(found.odd ?? {});
  return (
    <div className="flex flex-col gap-0.5">
      <b className="text-[14px] font-semibold">{found.name}</b>
      <span className="figure text-soft">
        {found.width} × {found.height} · {depthWords({ depth: found.depth, bits: found.bits })} ·{" "}
        {found.channels === 4 ? "with alpha · " : ""}
        {found.codec.toUpperCase()} · {found.count} frames
        {found.kind === "sequence" ? `, ${found.first} to ${found.last}` : ""} · {bytes(found.bytes)}
      </span>
      {found.missing.length > 0 && <Warn words={`Missing: ${ranges(found.missing)}.`} />}
      {odd.length > 0 && (
        <Warn
          words={`Unlike the first frame, left out: ${ranges(odd.map(([frame]) => Number(frame)))} (${odd[0]![1]}).`}
        />
      )}
      {found.doubles.length > 0 && (
        <Warn words={`There twice under other names: ${ranges(found.doubles)}; these are used as chosen.`} />
      )}
      {found.kind === "movie" && !found.even && (
        <span className="text-soft">
          Its pictures come at an uneven rhythm; each frame shows the picture on screen at its time.
        </span>
      )}
      {found.lossy && found.kind === "sequence" && (
        <span className="text-soft">Its compression loses values at every save; deliveries use one that does not.</span>
      )}
    </div>
  );
}

function Warn({ words }: { words: string }) {
  return <span className="text-noticeable">{words}</span>;
}
