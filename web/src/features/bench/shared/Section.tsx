import type { ReactNode } from "react";
import { Dot } from "../../../ui/controls";
import { type Stage, useBench } from "../store";
import { Hint } from "./Hint";
import type { Level } from "./levels";

interface HeadProps {
  stage: Stage;
  name: string;
  words: string;
  figure: string;
  level?: Level;
  /** What to do first here, until it has been done once. */
  hint?: { words: string; done: boolean };
  children: ReactNode;
}

/** One of the five stages: a line in words, a figure, and what it holds when it is open. */
export function Section({ stage, name, words, figure, level: loud = "none", hint, children }: HeadProps) {
  const open = useBench((state) => state.stage === stage);
  const set = useBench((state) => state.set);
  const go = () => set({ stage: open ? null : stage, ...(stage === "source" && !open ? { main: "still" } : {}) });
  return (
    <section className="stitch-b" aria-label={name}>
      <button
        type="button"
        aria-expanded={open}
        onClick={go}
        className={`flex h-9 w-full items-center gap-2 px-3 ${open ? "" : "hover:bg-felt-2"}`}
      >
        <span className="text-[13.5px] font-semibold">{name}</span>
        <span className="min-w-0 flex-1 truncate text-left text-soft">{words}</span>
        {figure && (
          <span className="figure flex items-center gap-1.5 whitespace-nowrap">
            {loud !== "none" && <Dot level={loud} />}
            {figure}
          </span>
        )}
      </button>
      {open && (
        <div className="flex flex-col gap-2 px-3 pt-1 pb-3">
          {hint && <Hint what={stage} {...hint} />}
          {children}
        </div>
      )}
    </section>
  );
}
