import { useEffect } from "react";
import { create } from "zustand";
import { client } from "./client";

const EVERY = 8_000; // ms between two signs of life
const OVER = 20_000; // ms without one: the window was closed

export interface Here {
  who: string;
  window: string;
  fix: number | null;
  at: number;
}

const useAll = create<{ shots: Record<number, Here[]> }>(() => ({ shots: {} }));
const own = `w-${Math.floor(performance.timeOrigin).toString(36)}-${performance.now().toString(36).replace(".", "")}`;

/** Somebody has a shot open. */
export function seenHere(shot: number, who: string, window: string, fix: number | null | undefined) {
  if (window === own) return;
  const now = Date.now();
  useAll.setState(({ shots }) => {
    const others = (shots[shot] ?? []).filter((one) => one.window !== window && now - one.at < OVER);
    return { shots: { ...shots, [shot]: [...others, { who, window, fix: fix ?? null, at: now }] } };
  });
}

const NOBODY: Here[] = [];

/** The others who have a shot open now. */
export const useOthersHere = (shot: number) => useAll((state) => state.shots[shot] ?? NOBODY);

/** Tells the others that this window has a shot open, and which fix is worked on in it. */
export function useHere(shot: number, fix: number | null) {
  useEffect(() => {
    const tell = () =>
      void client
        .POST("/api/shots/{shot}/here", { params: { path: { shot } }, body: { window: own, fix } })
        .catch(() => undefined); // the next one tells it
    tell();
    const again = setInterval(tell, EVERY);
    const tidy = setInterval(() => {
      const now = Date.now();
      useAll.setState(({ shots }) => {
        const known = shots[shot];
        if (!known?.some((one) => now - one.at >= OVER)) return { shots };
        return { shots: { ...shots, [shot]: known.filter((one) => now - one.at < OVER) } };
      });
    }, EVERY / 2);
    return () => {
      clearInterval(again);
      clearInterval(tidy);
    };
  }, [shot, fix]);
}
