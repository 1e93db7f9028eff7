import { useState } from "react";
import { client, type Job, type Schemas } from "../../api/client";
import { ofJobs, useCards, useJobStorage } from "../../api/queries";
import { Button, Choice } from "../../ui/controls";
import { Confirm, Menu } from "../../ui/menu";
import { say } from "../../ui/messages";
import { Written } from "../../ui/Written";
import { BringIn } from "./BringIn";
import { type Order, sorted } from "./cards";
import { MembersDialog } from "./MembersDialog";
import { ShotRow } from "./ShotRow";
import { bytes } from "./words";

/** A job and its shots. */
export function JobCard({ job, onOpen }: { job: Job; onOpen: (shot: number) => void }) {
  const [bringing, setBringing] = useState(false);
  const [deleting, setDeleting] = useState(false);
  const [members, setMembers] = useState(false);
  const runs = job.role === "supervisor";
  const [order, setOrder] = useState<Order>("order");
  const cards = useCards(job.id).data;
  const known = new Map((cards ?? []).map((card) => [card.shot, card]));
  const here = sorted(
    job.shots.filter((shot) => !shot.put_away),
    order,
    known,
  );
  const away = job.shots.filter((shot) => shot.put_away);
  const params = { path: { job: job.id } };
  const keep = (body: Schemas["JobChange"]) => ofJobs(client.PATCH("/api/jobs/{job}", { params, body }), say);
  const edit = async (form: string) => {
    const answer = await fetch(`/api/jobs/${job.id}/edit?form=${form}`, { credentials: "same-origin" });
    if (!answer.ok) return say((await answer.json().catch(() => null))?.title ?? "The edit could not be written.");
    const link = document.createElement("a");
    link.href = URL.createObjectURL(await answer.blob());
    link.download = `${job.name}.${form}`;
    link.click();
    URL.revokeObjectURL(link.href);
  };
  return (
    <section aria-label={job.name}>
      <header className="stitch-b mb-2 flex items-center gap-3 pb-2">
        <h2 className="min-w-0 text-[17px] font-semibold">
          <Written label="Name of the job" value={job.name} empty="" onKeep={(name) => keep({ name })} />
        </h2>
        <span className="whitespace-nowrap text-soft">{here.length === 1 ? "1 shot" : `${here.length} shots`}</span>
        <Storage job={job.id} />
        <span className="ml-auto" />
        {here.length > 1 && (
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
        {runs && (
          <Menu
            label={`More of ${job.name}`}
            groups={[
              [
                { words: "Members and log", act: () => setMembers(true) },
                { words: "The edit as delivered (.otio)", act: () => edit("otio") },
                { words: "The edit as delivered (.edl)", act: () => edit("edl") },
                {
                  words: job.put_away ? "Take out again" : "Put the job away",
                  act: () => keep({ put_away: !job.put_away }),
                },
              ],
              [{ words: "Delete the job", grave: true, act: () => setDeleting(true) }],
            ]}
          />
        )}
      </header>
      <div className="-mt-1 mb-1.5">
        <Written
          label={`Note on ${job.name}`}
          value={job.note}
          empty="Add a note to the job"
          className="text-soft"
          onKeep={(note) => keep({ note })}
        />
      </div>
      <BringIn job={job} open={bringing} onClose={() => setBringing(false)} />
      <ul className="flex flex-col gap-1.5">
        {here.map((shot) => (
          <ShotRow key={shot.id} shot={shot} card={known.get(shot.id)} onOpen={() => onOpen(shot.id)} />
        ))}
        {job.shots.length === 0 && <li className="text-soft">No shots yet. Bring in footage to begin.</li>}
      </ul>
      {away.length > 0 && (
        <details className="mt-2">
          <summary className="cursor-pointer text-soft hover:text-ink">{away.length} put away</summary>
          <ul className="mt-1.5 flex flex-col gap-1.5">
            {away.map((shot) => (
              <ShotRow key={shot.id} shot={shot} card={known.get(shot.id)} onOpen={() => onOpen(shot.id)} />
            ))}
          </ul>
        </details>
      )}
      {members && <MembersDialog job={job} onClose={() => setMembers(false)} />}
      {deleting && (
        <Confirm
          title={`Delete ${job.name}?`}
          words={`Its ${job.shots.length} shots go for good, with all their fixes and plates. Footage and what was delivered stay on the disk. To get it out of the way only, put it away.`}
          act="Delete the job"
          onAct={() => ofJobs(client.DELETE("/api/jobs/{job}", { params }), say)}
          onClose={() => setDeleting(false)}
        />
      )}
    </section>
  );
}

/** What the job takes on the disk beside its footage. */
function Storage({ job }: { job: number }) {
  const taken = useJobStorage(job).data;
  if (!taken) return null;
  const total = taken.proxies + taken.plates + taken.deliveries;
  return (
    <span
      className="figure whitespace-nowrap text-faint"
      title={`On the disk beside its footage: proxies ${bytes(taken.proxies)}, plates and artwork ${bytes(taken.plates)}, deliveries ${bytes(taken.deliveries)}`}
    >
      {bytes(total)} on disk
    </span>
  );
}
