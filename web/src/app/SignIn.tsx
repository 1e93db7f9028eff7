import { useState } from "react";
import { client } from "../api/client";
import { keys, queries } from "../api/queries";
import { Button } from "../ui/controls";

export function SignIn() {
  const [name, setName] = useState("");
  const [password, setPassword] = useState("");
  const [problem, setProblem] = useState("");
  const enter = async () => {
    setProblem("");
    try {
      await client.POST("/api/session", { body: { name, password } });
      void queries.invalidateQueries({ queryKey: keys.session });
    } catch (error) {
      setProblem((error as Error).message);
    }
  };
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
        <input
          aria-label="Name"
          placeholder="Name"
          value={name}
          onChange={(e) => setName(e.target.value)}
          className={box}
        />
        <input
          aria-label="Password"
          type="password"
          placeholder="Password"
          value={password}
          onChange={(e) => setPassword(e.target.value)}
          className={box}
        />
        <Button look="main" type="submit" className="h-8">
          Sign in
        </Button>
        {problem && <p role="alert">{problem}</p>}
      </div>
    </form>
  );
}
