import { useState } from "react";
import { client, type Schemas } from "../../api/client";
import { keys, queries } from "../../api/queries";
import { useLog, usePeople } from "../../api/studio";
import { Button, Check } from "../../ui/controls";
import { LogList } from "../../ui/LogList";
import { Menu } from "../../ui/menu";
import { MessageLine, say } from "../../ui/messages";
import { Field, Sheet } from "../../ui/Sheet";

type Person = Schemas["PersonOut"];

/** Everybody of the house, for who runs it. */
export function PeoplePage({ me }: { me: number }) {
  const people = usePeople();
  const log = useLog(null);
  const [adding, setAdding] = useState(false);
  if (people.error) return <p role="alert">{people.error.message}</p>;
  return (
    <div className="flex flex-col gap-6">
      <div className="flex items-center gap-4">
        <p className="text-soft">Who may sign in. What somebody is in a job is said at the job, under Members.</p>
        <Button look="main" className="ml-auto" onClick={() => setAdding(true)}>
          Add somebody
        </Button>
      </div>
      <ul className="flex flex-col gap-1" aria-label="People">
        {(people.data ?? []).map((person) => (
          <PersonRow key={person.id} person={person} mine={person.id === me} />
        ))}
      </ul>
      <section aria-label="Log of the house" className="stitch-t flex flex-col gap-2 pt-4">
        <h2 className="text-soft">What was done, newest first</h2>
        <LogList lines={log.data} />
      </section>
      {adding && <AddPerson onClose={() => setAdding(false)} />}
      <MessageLine />
    </div>
  );
}

const asked = (sent: Promise<unknown>) =>
  sent
    .catch((problem: Error) => say(problem.message))
    .finally(() => queries.invalidateQueries({ queryKey: keys.people }));

function PersonRow({ person, mine }: { person: Person; mine: boolean }) {
  const [password, setPassword] = useState(false);
  const params = { path: { person: person.id } };
  const change = (body: Schemas["PersonChange"]) => void asked(client.PATCH("/api/people/{person}", { params, body }));
  return (
    <li className={`flex items-center gap-4 rounded-lg bg-felt-2 px-3 py-2 ${person.active ? "" : "opacity-60"}`}>
      <span className="w-44 truncate">
        <b className="font-medium">{person.full_name || person.name}</b>
        {mine && <span className="text-soft"> (you)</span>}
      </span>
      <span className="figure w-28 truncate text-soft">{person.name}</span>
      <span className="min-w-0 flex-1 truncate text-soft" title={person.jobs.join("\n")}>
        {!person.active
          ? "cannot sign in"
          : person.house
            ? "runs the house"
            : person.jobs.join(" · ") || "in no job yet"}
      </span>
      <span className="figure text-faint">{person.sessions === 1 ? "1 session" : `${person.sessions} sessions`}</span>
      <Menu
        label={`More of ${person.full_name || person.name}`}
        groups={[
          [
            { words: "Give a new password", act: () => setPassword(true) },
            {
              words: "Sign out everywhere",
              act: () => void asked(client.DELETE("/api/people/{person}/sessions", { params })),
            },
          ],
          [
            {
              words: person.house ? "Does not run the house" : "Runs the house",
              act: () => change({ house: !person.house }),
            },
            {
              words: person.active ? "May not sign in any more" : "May sign in again",
              grave: person.active,
              act: () => change({ active: !person.active }),
            },
          ],
        ]}
      />
      {password && <NewPassword person={person} onClose={() => setPassword(false)} />}
    </li>
  );
}

function NewPassword({ person, onClose }: { person: Person; onClose: () => void }) {
  const [value, setValue] = useState("");
  const [problem, setProblem] = useState("");
  const keep = () =>
    client
      .PATCH("/api/people/{person}", { params: { path: { person: person.id } }, body: { password: value } })
      .then(onClose, (error: Error) => setProblem(error.message));
  return (
    <Sheet
      title={`A new password for ${person.full_name || person.name}`}
      words="All their sessions end. Ten characters or more, not only figures."
      onClose={onClose}
    >
      <Field label="Password" type="password" complete="new-password" value={value} set={setValue} />
      {problem && <p role="alert">{problem}</p>}
      <Button look="main" onClick={() => void keep()}>
        Give it
      </Button>
    </Sheet>
  );
}

function AddPerson({ onClose }: { onClose: () => void }) {
  const [given, setGiven] = useState({ name: "", full_name: "", password: "", house: false });
  const [problem, setProblem] = useState("");
  const add = async () => {
    setProblem("");
    try {
      await client.POST("/api/people", { body: given });
      void queries.invalidateQueries({ queryKey: keys.people });
      onClose();
    } catch (error) {
      setProblem((error as Error).message);
    }
  };
  const set = (part: Partial<typeof given>) => setGiven({ ...given, ...part });
  return (
    <Sheet
      title="Add somebody"
      words="They sign in with this name and password, and can change it. Then give them a role in a job."
      onClose={onClose}
    >
      <Field label="Full name" value={given.full_name} set={(full_name) => set({ full_name })} />
      <Field label="Name to sign in with" value={given.name} set={(name) => set({ name })} />
      <Field
        label="First password, ten characters or more"
        type="password"
        complete="new-password"
        value={given.password}
        set={(password) => set({ password })}
      />
      <Check words="Runs the house: people, all jobs" on={given.house} set={(house) => set({ house })} />
      {problem && <p role="alert">{problem}</p>}
      <Button look="main" onClick={() => void add()}>
        Add
      </Button>
    </Sheet>
  );
}
