import { useState } from "react";
import { client } from "../../api/client";
import { keys, queries, useJobs } from "../../api/queries";
import { Button } from "../../ui/controls";
import { MessageLine } from "../../ui/messages";
import { JobCard } from "./JobCard";

interface Props {
  onOpen: (shot: number) => void;
}

/** Jobs and their shots: where the day begins. */
export function JobsPage({ onOpen }: Props) {
  const jobs = useJobs();
  if (jobs.error) return <p role="alert">{jobs.error.message}</p>;
  if (!jobs.data) return <p className="text-soft">Looking for jobs</p>;
  const mine = jobs.data.filter((job) => job.role !== "reviewer");
  const away = mine.filter((job) => job.put_away);
  return (
    <div className="flex flex-col gap-8">
      {mine
        .filter((job) => !job.put_away)
        .map((job) => (
          <JobCard key={job.id} job={job} onOpen={onOpen} />
        ))}
      <NewJob empty={mine.length === 0} />
      {away.length > 0 && (
        <details>
          <summary className="cursor-pointer text-soft hover:text-ink">
            {away.length === 1 ? "1 job put away" : `${away.length} jobs put away`}
          </summary>
          <div className="mt-4 flex flex-col gap-8">
            {away.map((job) => (
              <JobCard key={job.id} job={job} onOpen={onOpen} />
            ))}
          </div>
        </details>
      )}
      <MessageLine />
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
