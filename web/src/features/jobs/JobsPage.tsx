import { SlidersHorizontal } from "lucide-react";
import { useState } from "react";
import { client, type Job, type Shot } from "../../api/client";
import { keys, queries, useJobs } from "../../api/queries";
import { Button, Choice } from "../../ui/controls";
import { BringIn } from "./BringIn";
import { ClipDialog } from "./ClipDialog";
import { depthWords, ranges, rateText } from "./words";

interface Props {
  onOpen: (shot: number) => void;
}

/** Jobs and their shots: where the day begins. */
export function JobsPage({ onOpen }: Props) {
  const jobs = useJobs();
  if (jobs.error) return <p role="alert">{jobs.error.message}</p>;
  if (!jobs.data) return <p className="text-soft">Looking for jobs</p>;
  return (
    <div className="flex flex-col gap-8">
      {jobs.data.map((job) => (
        <JobCard key={job.id} job={job} onOpen={onOpen} />
      ))}
      <NewJob empty={jobs.data.length === 0} />
    </div>
  );
}

function NewJob({ empty }: { empty: boolean }) {
  const [name, setName] = useState("");
  const [problem, setProblem] = useState("");
  const make = async () => {
    setProblem("");
    try {
      await client.POST("/api/jobs", { body: { name, client: "" } });
      setName("");
      void queries.invalidateQueries({ queryKey: keys.jobs });
    } catch (error) {
      setProblem((error as Error).message);
    }
  };
  return (
    <form
      className="flex items-center gap-2"
      onSubmit={(event) => {
        event.preventDefault();
        void make();
      }}
    >
      {empty && <p className="text-soft">No jobs yet. Name the first one, then bring footage in.</p>}
      <input
        aria-label="Name of the new job"
        placeholder="Name of a new job"
        value={name}
        onChange={(event) => setName(event.target.value)}
        className="h-7 w-56 rounded-md border border-line bg-felt-0 px-2 select-text"
      />
      <Button type="submit">Make job</Button>
      {problem && <span role="alert">{problem}</span>}
    </form>
  );
}

type Order = "order" | "work" | "name";
const STATUS_ORDER = ["todo", "in-hand", "to-review", "approved", "delivered"];

function sorted(shots: Shot[], order: Order): Shot[] {
  const list = [...shots];
  if (order === "name") list.sort((a, b) => a.name.localeCompare(b.name, undefined, { numeric: true }));
  if (order === "work") list.sort((a, b) => STATUS_ORDER.indexOf(a.status) - STATUS_ORDER.indexOf(b.status));
  return list;
}

function JobCard({ job, onOpen }: { job: Job; onOpen: (shot: number) => void }) {
  const [bringing, setBringing] = useState(false);
  const [order, setOrder] = useState<Order>("order");
  return (
    <section aria-label={job.name}>
      <header className="stitch-b mb-2 flex items-center gap-3 pb-2">
        <h2 className="text-[17px] font-semibold">{job.name}</h2>
        <span className="text-soft">{job.shots.length === 1 ? "1 shot" : `${job.shots.length} shots`}</span>
        <span className="ml-auto" />
        {job.shots.length > 1 && (
          <Choice
            label="Order of the shots"
            value={order}
            onChange={setOrder}
            options={[
              { value: "order", words: "As brought in" },
              { value: "work", words: "Needs work first" },
              { value: "name", words: "By name" },
            ]}
          />
        )}
        <Button onClick={() => setBringing(true)}>Bring in footage</Button>
      </header>
      <BringIn job={job} open={bringing} onClose={() => setBringing(false)} />
      <ul className="flex flex-col gap-1.5">
        {sorted(job.shots, order).map((shot) => (
          <ShotRow key={shot.id} shot={shot} onOpen={() => onOpen(shot.id)} />
        ))}
        {job.shots.length === 0 && <li className="text-soft">No shots yet. Bring in footage to begin.</li>}
      </ul>
    </section>
  );
}

function ShotRow({ shot, onOpen }: { shot: Shot; onOpen: () => void }) {
  const [correcting, setCorrecting] = useState(false);
  const { clip } = shot;
  const total = clip.last - clip.first + 1;
  const middle = Math.floor((clip.first + clip.last) / 2);
  const seconds = (total * clip.rate_den) / clip.rate_num;
  return (
    <li className="flex items-stretch rounded-lg bg-felt-2 hover:bg-felt-3">
      <button type="button" onClick={onOpen} className="flex min-w-0 flex-1 items-center gap-4 p-2 text-left">
        <img
          alt={`Frame ${middle}`}
          src={`/pictures/shots/${shot.id}/frames/${middle}.jpg?l=${shot.look_name}&wide=1280`}
          className="h-[90px] w-40 shrink-0 rounded-md bg-felt-0 object-cover"
        />
        <span className="flex min-w-0 flex-1 flex-col gap-0.5">
          <b className="text-[14px] font-semibold">{shot.name}</b>
          <span className="truncate text-soft">{shot.note}</span>
          <span className="figure truncate text-faint">
            {clip.width} × {clip.height} · {depthWords(clip)} {clip.codec.split(",")[0]!.toUpperCase()} ·{" "}
            {clip.space_words}
          </span>
          <span className="figure truncate text-faint">
            {clip.first} to {clip.last} · {total} frames, {seconds.toFixed(2)} s at{" "}
            {rateText({ num: clip.rate_num, den: clip.rate_den })}
            {clip.timecode ? ` · ${clip.timecode}` : ""}
          </span>
          {clip.missing.length > 0 && <span className="text-noticeable">Cannot be used: {ranges(clip.missing)}</span>}
        </span>
        <span className="rounded-full border border-line px-3 py-0.5 text-soft">{shot.status_words}</span>
      </button>
      <button
        type="button"
        aria-label={`Clip and corrections of ${shot.name}`}
        title="Clip and corrections"
        onClick={() => setCorrecting(true)}
        className="px-3 text-soft hover:text-ink"
      >
        <SlidersHorizontal size={15} />
      </button>
      {correcting && <ClipDialog shot={shot} onClose={() => setCorrecting(false)} />}
    </li>
  );
}
