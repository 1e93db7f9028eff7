import { useEffect, useRef } from "react";
import type { Shot } from "../../api/client";
import { useBench } from "./store";
import { zoomTime } from "./time/span";

interface Given {
  shot: Shot;
  step: (way: "undo" | "redo") => void;
  loud: (frame: number) => number | null;
  loudOfAll: (frame: number) => { fix: number; frame: number } | null;
  remove: () => void;
  help: () => void;
}

interface Key {
  /** As the browser names it, in lower case. */
  key: string;
  /** As it stands on the keyboard. */
  shown: string;
  words: string;
  act: (given: Given) => void;
}

const ZOOM = 1.6; // a step of the ruler
const { getState: bench } = useBench;

function go(to: number, { clip }: Shot) {
  bench().set({ frame: Math.min(clip.last, Math.max(clip.first, to)), playing: false });
}
const by = (frames: number) => (given: Given) => go(bench().frame + frames, given.shot);

function size(factor: number) {
  const { brush, set } = bench();
  set({ brush: { ...brush, radius: Math.min(120, Math.max(2, brush.radius * factor)) } });
}
function hard(more: number) {
  const { brush, set } = bench();
  set({ brush: { ...brush, hardness: Math.min(1, Math.max(0, brush.hardness + more)) } });
}
const NEXT_ROUND = { loop: "bounce", bounce: "once", once: "loop" } as const;

/** The bench's keys, in the groups in which they are shown. */
export const KEYS: Record<string, Key[]> = {
  Time: [
    { key: " ", shown: "Space", words: "Play or pause", act: () => bench().set({ playing: !bench().playing }) },
    { key: "arrowleft", shown: "←", words: "Step back", act: by(-1) },
    { key: "arrowright", shown: "→", words: "Step on", act: by(1) },
    { key: "home", shown: "Home", words: "First frame", act: ({ shot }) => go(shot.clip.first, shot) },
    { key: "end", shown: "End", words: "Last frame", act: ({ shot }) => go(shot.clip.last, shot) },
    {
      key: "i",
      shown: "I",
      words: "Range from here",
      act: ({ shot }) => {
        const { frame, range, set } = bench();
        set({ range: { first: frame, last: Math.max(frame, range?.last ?? shot.clip.last) }, playing: false });
      },
    },
    {
      key: "o",
      shown: "O",
      words: "Range to here",
      act: ({ shot }) => {
        const { frame, range, set } = bench();
        set({ range: { first: Math.min(frame, range?.first ?? shot.clip.first), last: frame }, playing: false });
      },
    },
    { key: "p", shown: "P", words: "No range", act: () => bench().set({ range: null, playing: false }) },
    {
      key: "r",
      shown: "R",
      words: "Round and round, there and back, or once",
      act: () => bench().set({ round: NEXT_ROUND[bench().round], playing: false }),
    },
    { key: "+", shown: "+", words: "Look closer along time", act: ({ shot }) => zoomTime(shot, 1 / ZOOM) },
    { key: "-", shown: "−", words: "See more of the shot", act: ({ shot }) => zoomTime(shot, ZOOM) },
    {
      key: "n",
      shown: "N",
      words: "Next frame that is not quiet",
      act: ({ loud, shot }) => {
        const next = loud(bench().frame);
        if (next !== null) go(next, shot);
      },
    },
    {
      key: "shift n",
      shown: "Shift N",
      words: "The same over all fixes",
      act: ({ loudOfAll, shot }) => {
        const next = loudOfAll(bench().frame);
        if (!next) return;
        bench().set({ fix: next.fix });
        go(next.frame, shot);
      },
    },
  ],
  Pictures: [
    {
      key: "v",
      shown: "V",
      words: "Swap Shot and Still",
      act: () => bench().set({ main: bench().main === "shot" ? "still" : "shot" }),
    },
    { key: "b", shown: "B, held", words: "Before", act: () => bench().set({ before: true }) },
    { key: "h", shown: "H, held", words: "Hide all that is drawn", act: () => bench().set({ hidden: true }) },
    {
      key: "f",
      shown: "F",
      words: "Fit the picture to the window",
      act: () => bench().set({ views: { ...bench().views, [bench().main]: null } }),
    },
    { key: "escape", shown: "Esc", words: "Put the tool down", act: () => bench().set({ tool: "look" }) },
  ],
  "Edge and brushes": [
    { key: "[", shown: "[", words: "Smaller brush", act: () => size(1 / 1.15) },
    { key: "]", shown: "]", words: "Larger brush", act: () => size(1.15) },
    { key: "{", shown: "Shift [", words: "Softer brush", act: () => hard(-0.1) },
    { key: "}", shown: "Shift ]", words: "Harder brush", act: () => hard(0.1) },
    { key: "delete", shown: "Delete", words: "Take the chosen point away", act: ({ remove }) => remove() },
  ],
};
/** What is done with a modifier, in the brush's own fields or with the pointer: shown, and heard where it belongs. */
export const OTHERS: Record<string, [string, string][]> = {
  Time: [
    ["Ctrl wheel", "Zoom the ruler; the wheel alone moves along it"],
    ["Ctrl Z", "Undo"],
    ["Ctrl Y", "Redo; Ctrl Shift Z does too"],
  ],
  Pictures: [
    ["Wheel", "Zoom about the pointer; drag to pan, or with the middle button"],
    ["Tab, Enter", "Walk through the controls, and press the one that has the focus"],
    ["?", "These keys"],
  ],
  "Edge and brushes": [
    ["1 to 9, 0", "Opacity in tens, while the brush's fields have the focus"],
    ["Alt click", "Set the donor, or take a colour"],
    ["Shift click", "A straight stroke from the last one"],
    ["Double-click", "Add a point to the edge"],
    ["Shift drag", "Give a point a softness of its own"],
    ["Alt drag", "Break a point's handle off"],
  ],
};
const ALSO: Record<string, string> = { "=": "+", _: "-", backspace: "delete" };
const ACTS = new Map(
  Object.values(KEYS)
    .flat()
    .map((one) => [one.key, one.act]),
);

const typing = (target: EventTarget | null) =>
  target instanceof HTMLElement && (target.isContentEditable || ["INPUT", "TEXTAREA"].includes(target.tagName));
const ownKeys = (target: EventTarget | null) =>
  target instanceof HTMLElement && (target.getAttribute("role") === "slider" || !!target.closest("[role=dialog]"));
/** Listens for the bench's keys. */
export function useKeys(given: Given) {
  const now = useRef(given);
  now.current = given;
  useEffect(() => {
    const down = (event: KeyboardEvent) => {
      if (typing(event.target) || ownKeys(event.target)) return;
      const key = event.key.toLowerCase();
      if (event.ctrlKey || event.metaKey) {
        if (key === "z") now.current.step(event.shiftKey ? "redo" : "undo");
        else if (key === "y") now.current.step("redo");
        else return;
        event.preventDefault();
        return;
      }
      const act =
        key === "?"
          ? () => now.current.help()
          : ACTS.get(event.shiftKey && key === "n" ? "shift n" : (ALSO[key] ?? key));
      if (!act) return;
      event.preventDefault();
      act(now.current);
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
