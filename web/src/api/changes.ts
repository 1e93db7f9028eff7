import { useMutation } from "@tanstack/react-query";
import { create } from "zustand";
import { body, type Fix, Problem } from "./client";
import { fixNow, keepFix, keys, queries } from "./queries";

/** A change that somebody else's came before: what was said, and how it can be made on top after all. */
interface Clash {
  words: string;
  again: () => void;
}
export const useClash = create<{ clash: Clash | null; settle: () => void }>((set) => ({
  clash: null,
  settle: () => set({ clash: null }),
}));

type Change = (at: { params: { path: { fix: number } }; version: number }) => Promise<{ data?: unknown }>;

let line: Promise<unknown> = Promise.resolve();

/** Does something after all that this window has asked for before has been answered. */
export function inTurn<T>(act: () => Promise<T>): Promise<T> {
  const turn = line.then(act);
  line = turn.catch(() => undefined);
  return turn;
}

/** Changes of this window go one after the other, each on the version that the one before it made. */
export function useChange(shot: number, fix: number, told: (problem: Problem) => void) {
  const made = useMutation({
    mutationFn: (change: Change) =>
      inTurn(async () => {
        const version = fixNow(shot, fix)?.version ?? 0;
        const made = await body<Fix>(change({ params: { path: { fix } }, version }));
        keepFix(made);
        return made;
      }),
    onError: async (error, change) => {
      if (error instanceof Problem) {
        if (error.kind === "conflict" || error.kind === "not-found")
          await queries.invalidateQueries({ queryKey: keys.fixes(shot) });
        if (error.kind === "conflict")
          useClash.setState({ clash: { words: error.message, again: () => mutate(change) } });
        told(error);
      }
    },
  });
  const mutate = made.mutate;
  return made;
}
