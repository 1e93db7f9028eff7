import { useState } from "react";
import { client } from "../api/client";
import { keys, queries, useSession } from "../api/queries";
import { Button } from "../ui/controls";

export function SignIn() {
  const [name, setName] = useState("");
  const [password, setPassword] = useState("");
  const [problem, setProblem] = useState("");
  const { data: session } = useSession();
  const asked = async (sent: () => Promise<unknown>) => {
    setProblem("");
    try {
      await sent();
      void queries.invalidateQueries({ queryKey: keys.session });
    } catch (error) {
      setProblem((error as Error).message);
    }
  };
  const enter = () => asked(() => client.POST("/api/session", { body: { name, password } }));
  const openDemo = (as: string) => asked(() => client.POST("/api/session/demo", { params: { query: { name: as } } }));
  const box = "h-8 rounded-md border border-line bg-felt-0 px-2 select-text";
  return (
    <form
      className="grid h-full place-items-center"
      onSubmit={(event) => {
        event.preventDefault();
        void enter();
      }}
    >
      <div className="flex w-64 flex-col gap-2">
        <h1 className="pb-2 text-[20px]">
          <b className="font-semibold">hush</b> <span className="text-soft">patch</span>
        </h1>
        <label className="flex flex-col gap-0.5 text-soft">
          Name
          <input
            value={name}
            autoComplete="username"
            onChange={(e) => setName(e.target.value)}
            className={`${box} text-ink`}
          />
        </label>
        <label className="flex flex-col gap-0.5 text-soft">
          Password
          <input
            type="password"
            value={password}
            autoComplete="current-password"
            onChange={(e) => setPassword(e.target.value)}
            className={`${box} text-ink`}
          />
        </label>
        <Button look="main" type="submit" className="h-8">
          Sign in
        </Button>
        {session?.demo_people.map((person, k) => (
          <Button key={person.name} type="button" className="h-8" onClick={() => void openDemo(person.name)}>
            Open the demo{k ? ` as ${person.full_name}, ${person.role}` : ""}
          </Button>
        ))}
        {problem && <p role="alert">{problem}</p>}
      </div>
    </form>
  );
}
