import { X } from "lucide-react";
import { useState } from "react";
import { client, type Job } from "../../api/client";
import { keys, queries } from "../../api/queries";
import { useKnown, useLog, useMembers } from "../../api/studio";
import { Button } from "../../ui/controls";
import { LogList } from "../../ui/LogList";
import { Sheet } from "../../ui/Sheet";

const ROLES = [
  { value: "reviewer", words: "Reviewer: looks, writes notes, approves" },
  { value: "artist", words: "Artist: works and delivers" },
  { value: "supervisor", words: "Supervisor: all of it, and runs the job" },
];

/** Who is what in a job, and what was done in it. */
export function MembersDialog({ job, onClose }: { job: Job; onClose: () => void }) {
  const members = useMembers(job.id).data ?? [];
  const known = useKnown(job.id, true).data ?? [];
  const log = useLog(job.id);
  const [problem, setProblem] = useState("");
  const [person, setPerson] = useState("");
  const [role, setRole] = useState("reviewer");
  const give = (who: number, as: string | null) => {
    setProblem("");
    void client
      .PUT("/api/jobs/{job}/members/{person}", { params: { path: { job: job.id, person: who } }, body: { role: as } })
      .catch((error: Error) => setProblem(error.message))
      .finally(() => {
        void queries.invalidateQueries({ queryKey: keys.members(job.id) });
        void queries.invalidateQueries({ queryKey: keys.log(job.id) });
      });
  };
  const others = known.filter((one) => !members.some((member) => member.person === one.id));
  const box = "h-[26px] cursor-pointer rounded-md border border-line bg-felt-1 px-1.5 text-soft hover:text-ink";
  return (
    <Sheet
      wide
      title={`Members of ${job.name}`}
      words="Everybody else does not see that the job exists. Who runs the house sees all jobs."
      onClose={onClose}
    >
      <ul className="flex flex-col gap-1" aria-label="Members">
        {members.map((member) => (
          <li key={member.person} className="flex items-center gap-3 rounded-md bg-felt-2 px-3 py-1.5">
            <b className="w-48 truncate font-medium">{member.name}</b>
            <select
              aria-label={`Role of ${member.name}`}
              value={member.role}
              onChange={(event) => give(member.person, event.target.value)}
              className={`${box} flex-1`}
            >
              {ROLES.map((one) => (
                <option key={one.value} value={one.value}>
                  {one.words}
                </option>
              ))}
            </select>
            <button
              type="button"
              aria-label={`Take ${member.name} out of the job`}
              className="text-soft hover:text-ink"
              onClick={() => give(member.person, null)}
            >
              <X size={14} />
            </button>
          </li>
        ))}
      </ul>
      {others.length > 0 && (
        <div className="flex items-center gap-2">
          <select
            aria-label="Person"
            value={person}
            onChange={(event) => setPerson(event.target.value)}
            className={box}
          >
            <option value="">Somebody else</option>
            {others.map((one) => (
              <option key={one.id} value={one.id}>
                {one.name}
              </option>
            ))}
          </select>
          <select aria-label="Role" value={role} onChange={(event) => setRole(event.target.value)} className={box}>
            {ROLES.map((one) => (
              <option key={one.value} value={one.value}>
                {one.words}
              </option>
            ))}
          </select>
          <Button
            disabled={!person}
            onClick={() => {
              give(Number(person), role);
              setPerson("");
            }}
          >
            Add to the job
          </Button>
        </div>
      )}
      {problem && <p role="alert">{problem}</p>}
      <section aria-label="Log of the job" className="stitch-t flex flex-col gap-2 pt-3">
        <h3 className="text-soft">What was done, newest first</h3>
        <div className="thin-scroll max-h-56 overflow-y-auto">
          <LogList lines={log.data} />
        </div>
      </section>
    </Sheet>
  );
}
