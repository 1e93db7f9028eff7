import { useEffect, useRef } from "react";
import type { Shot } from "../../api/client";
import { useBench } from "./store";

interface Given {
  shot: Shot;
  step: (way: "undo" | "redo") => void;
  loud: (frame: number) => number | null;
  remove: () => void;
}

const typing = (target: EventTarget | null) =>
  target instanceof HTMLElement && (target.isContentEditable || ["INPUT", "TEXTAREA"].includes(target.tagName));
const ownKeys = (target: EventTarget | null) =>
  target instanceof HTMLElement && (target.getAttribute("role") === "slider" || !!target.closest("[role=dialog]"));

/** The bench's keys; see the README for the list. */
export function useKeys(given: Given) {
  const now = useRef(given);
  now.current = given;
  useEffect(() => {
    const down = (event: KeyboardEvent) => {
      if (typing(event.target) || ownKeys(event.target)) return;
      const { set, frame, playing, brush, main, tool, views, range, round } = useBench.getState();
      const { clip } = now.current.shot;
      const go = (to: number) => set({ frame: Math.min(clip.last, Math.max(clip.first, to)), playing: false });
      const key = event.key.toLowerCase();
      if (event.ctrlKey || event.metaKey) {
        if (key === "z") now.current.step(event.shiftKey ? "redo" : "undo");
        else if (key === "y") now.current.step("redo");
        else return;
        event.preventDefault();
        return;
      }
      const size = (by: number) => set({ brush: { ...brush, radius: Math.min(120, Math.max(2, brush.radius * by)) } });
      const hard = (by: number) =>
        set({ brush: { ...brush, hardness: Math.min(1, Math.max(0, brush.hardness + by)) } });
      const acts: Record<string, () => void> = {
        " ": () => set({ playing: !playing }),
        arrowleft: () => go(frame - 1),
        arrowright: () => go(frame + 1),
        home: () => go(clip.first),
        end: () => go(clip.last),
        v: () => set({ main: main === "shot" ? "still" : "shot" }),
        b: () => set({ before: true }),
        h: () => set({ hidden: true }),
        f: () => set({ views: { ...views, [main]: null } }),
        "[": () => size(1 / 1.15),
        "]": () => size(1.15),
        "{": () => hard(-0.1),
        "}": () => hard(0.1),
        i: () => set({ range: { first: frame, last: Math.max(frame, range?.last ?? clip.last) }, playing: false }),
        o: () => set({ range: { first: Math.min(frame, range?.first ?? clip.first), last: frame }, playing: false }),
        p: () => set({ range: null, playing: false }),
        r: () => set({ round: round === "loop" ? "bounce" : round === "bounce" ? "once" : "loop", playing: false }),
        n: () => {
          const next = now.current.loud(frame);
          if (next !== null) go(next);
        },
        escape: () => tool !== "look" && set({ tool: "look" }),
        delete: () => now.current.remove(),
        backspace: () => now.current.remove(),
      };
      const act = acts[key];
      if (!act) return;
      event.preventDefault();
      act();
    };
    const up = (event: KeyboardEvent) => {
      const key = event.key.toLowerCase();
      if (key === "b") useBench.setState({ before: false });
      if (key === "h") useBench.setState({ hidden: false });
    };
    window.addEventListener("keydown", down);
    window.addEventListener("keyup", up);
    return () => {
      window.removeEventListener("keydown", down);
      window.removeEventListener("keyup", up);
    };
  }, []);
}
