import { useState } from "react";
import { client, type Job, type Shot } from "../../api/client";
import { keys, queries, useFootage, useJobs } from "../../api/queries";
import { Button } from "../../ui/controls";

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

function JobCard({ job, onOpen }: { job: Job; onOpen: (shot: number) => void }) {
  const [bringing, setBringing] = useState(false);
  return (
    <section aria-label={job.name}>
      <header className="stitch-b mb-2 flex items-baseline gap-3 pb-2">
        <h2 className="text-[17px] font-semibold">{job.name}</h2>
        <span className="text-soft">{job.shots.length === 1 ? "1 shot" : `${job.shots.length} shots`}</span>
        <Button className="ml-auto" onClick={() => setBringing(!bringing)} aria-expanded={bringing}>
          Bring in footage
        </Button>
      </header>
      {bringing && <BringIn job={job} onDone={() => setBringing(false)} />}
      <ul className="flex flex-col gap-1.5">
        {job.shots.map((shot) => (
          <ShotRow key={shot.id} shot={shot} onOpen={() => onOpen(shot.id)} />
        ))}
        {job.shots.length === 0 && <li className="text-soft">No shots yet. Bring in footage to begin.</li>}
      </ul>
    </section>
  );
}

function ShotRow({ shot, onOpen }: { shot: Shot; onOpen: () => void }) {
  const { clip } = shot;
  const total = clip.last - clip.first + 1;
  const middle = Math.floor((clip.first + clip.last) / 2);
  const seconds = (total * clip.rate_den) / clip.rate_num;
  return (
    <li>
      <button
        type="button"
        onClick={onOpen}
        className="flex w-full items-center gap-4 rounded-lg bg-felt-2 p-2 text-left hover:bg-felt-3"
      >
        <img
          alt={`Frame ${middle}`}
          src={`/pictures/shots/${shot.id}/frames/${middle}.jpg`}
          className="h-[90px] w-40 rounded-md bg-felt-0 object-cover"
        />
        <span className="flex min-w-0 flex-1 flex-col gap-0.5">
          <b className="text-[14px] font-semibold">{shot.name}</b>
          <span className="truncate text-soft">{shot.note}</span>
          <span className="figure text-faint">
            {clip.width} × {clip.height} · {clip.depth === "uint16" ? "16" : "8"} bit · {clip.first} to {clip.last} ·{" "}
            {total} frames, {seconds.toFixed(2)} s at{" "}
            {clip.rate_den === 1 ? clip.rate_num : `${clip.rate_num}/${clip.rate_den}`}
          </span>
          {clip.missing.length > 0 && (
            <span className="text-noticeable">
              {clip.missing.length} frames missing, first {clip.missing[0]}
            </span>
          )}
        </span>
        <span className="rounded-full border border-line px-3 py-0.5 text-soft">{shot.status_words}</span>
      </button>
    </li>
  );
}

function BringIn({ job, onDone }: { job: Job; onDone: () => void }) {
  const footage = useFootage(true);
  const [name, setName] = useState("");
  const [place, setPlace] = useState("");
  const [rate, setRate] = useState("24");
  const [problem, setProblem] = useState("");
  const bring = async () => {
    setProblem("");
    const [num, den] = rate.split("/").map(Number);
    try {
      await client.POST("/api/jobs/{job}/shots", {
        params: { path: { job: job.id } },
        body: { name, place, rate_num: num || 24, rate_den: den || 1 },
      });
      void queries.invalidateQueries({ queryKey: keys.jobs });
      onDone();
    } catch (error) {
      setProblem((error as Error).message);
    }
  };
  const box = "h-7 rounded-md border border-line bg-felt-0 px-2 select-text";
  return (
    <div className="mb-3 flex flex-col gap-2 rounded-lg border border-dashed border-line p-3">
      <p className="text-soft">
        Sequences in the footage folder; a folder or a pattern such as{" "}
        <span className="figure">apron/apron.####.tif</span> can be typed too.
      </p>
      <div className="flex flex-wrap gap-1.5">
        {footage.data?.map((found) => (
          <Button
            key={found.place}
            className={place === found.place ? "!border-thread" : ""}
            onClick={() => setPlace(found.place)}
            title={found.problem || undefined}
          >
            {found.place}{" "}
            <span className={found.problem ? "text-noticeable" : "text-soft"}>
              {found.problem ? "cannot be read" : `${found.first} to ${found.last}`}
              {found.missing.length ? `, ${found.missing.length} missing` : ""}
            </span>
          </Button>
        ))}
      </div>
      <div className="flex items-center gap-2">
        <input
          aria-label="Place"
          placeholder="Folder or pattern"
          value={place}
          onChange={(e) => setPlace(e.target.value)}
          className={`${box} w-56`}
        />
        <input
          aria-label="Shot name"
          placeholder="Name of the shot"
          value={name}
          onChange={(e) => setName(e.target.value)}
          className={`${box} w-44`}
        />
        <label className="flex items-center gap-2 text-soft">
          Rate
          <input
            aria-label="Rate"
            value={rate}
            onChange={(e) => setRate(e.target.value)}
            className={`${box} figure w-24`}
          />
        </label>
        <Button look="main" disabled={!place} onClick={bring}>
          Bring in
        </Button>
      </div>
      {problem && (
        <p role="alert" className="text-noticeable">
          {problem}
        </p>
      )}
    </div>
  );
}
