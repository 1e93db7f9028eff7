import { type PointerEvent, useEffect, useRef, useState, type WheelEvent } from "react";
import type { Note, Shot } from "../../api/client";
import { paintNote } from "../../canvas/notes";
import { fitted, panned, toPicture, toScreen, type View, zoomed } from "../../canvas/view";
import type { Point } from "../../geometry/points";
import { paintSplit } from "./paint";
import type { Side } from "./sides";
import { useReviewRoom } from "./state";
import { useSidePicture } from "./usePictures";

interface Props {
  shot: Shot;
  side: Side;
  other: Side | null;
  notes: Note[];
}

const CLOSE = 14; // screen px round the split line in which it is grabbed
const FAR = 2; // picture px between two points of a drawn line

/** The picture: looked at closely, split between two states, pinned and drawn on. */
export function Screen({ shot, side, other, notes }: Props) {
  const { frame, tool, draft, note, view, line, split, playing, set } = useReviewRoom();
  const canvas = useRef<HTMLCanvasElement>(null);
  const [size, setSize] = useState({ width: 0, height: 0 });
  const drag = useRef<{ kind: "pan" | "line" | "draw"; x: number; y: number } | null>(null);
  const here = useSidePicture(side, frame);
  const there = useSidePicture(split ? other : null, frame);
  const clip = shot.clip;
  const box = { left: 0, top: 0, width: clip.width, height: clip.height };
  const shown: View = view ?? fitted(box, size.width || 1, size.height || 1, 8);

  useEffect(() => {
    const place = canvas.current?.parentElement;
    if (!place) return;
    const watch = new ResizeObserver(() => setSize({ width: place.clientWidth, height: place.clientHeight }));
    watch.observe(place);
    return () => watch.disconnect();
  }, []);

  useEffect(() => {
    const ink = canvas.current?.getContext("2d");
    if (!ink || !size.width) return;
    const dense = window.devicePixelRatio || 1;
    ink.canvas.width = Math.round(size.width * dense);
    ink.canvas.height = Math.round(size.height * dense);
    ink.setTransform(dense, 0, 0, dense, 0, 0);
    ink.imageSmoothingQuality = "high";
    const corner = toScreen(shown, { x: -0.5, y: -0.5 });
    const [wide, tall] = [clip.width * shown.scale, clip.height * shown.scale];
    if (here.bitmap) ink.drawImage(here.bitmap, corner.x, corner.y, wide, tall);
    if (split && there.bitmap) {
      const x = corner.x + line * wide;
      ink.save();
      ink.beginPath();
      ink.rect(x, 0, size.width - x, size.height);
      ink.clip();
      ink.drawImage(there.bitmap, corner.x, corner.y, wide, tall);
      ink.restore();
      paintSplit(ink, x, size.height);
    }
    if (playing) return;
    for (const one of notes)
      if (one.frame === frame && !one.done) paintNote(ink, shown, one, one.lines, one.id === note);
    if (draft?.frame === frame) {
      const lines = draft.lines.map((one) => one.map((p) => [p.x, p.y] as const));
      paintNote(ink, shown, draft.spot ?? { x: null, y: null }, lines, true);
    }
  });

  const at = (event: PointerEvent): Point => {
    const rect = canvas.current!.getBoundingClientRect();
    return { x: event.clientX - rect.left, y: event.clientY - rect.top };
  };
  const inside = (p: Point): Point => ({
    x: Math.min(clip.width - 1, Math.max(0, p.x)),
    y: Math.min(clip.height - 1, Math.max(0, p.y)),
  });
  const lineAt = () => toScreen(shown, { x: -0.5 + line * clip.width, y: 0 }).x;
  const down = (event: PointerEvent) => {
    const p = at(event);
    canvas.current!.setPointerCapture(event.pointerId);
    if (split && Math.abs(p.x - lineAt()) < CLOSE) drag.current = { kind: "line", ...p };
    else if (tool === "pin") {
      const kept = draft?.frame === frame ? draft : { frame, spot: null, lines: [] };
      set({ draft: { ...kept, spot: inside(toPicture(shown, p)) }, tool: "look", playing: false });
    } else if (tool === "draw") {
      const kept = draft?.frame === frame ? draft : { frame, spot: null, lines: [] };
      set({ draft: { ...kept, lines: [...kept.lines, [inside(toPicture(shown, p))]] }, playing: false });
      drag.current = { kind: "draw", ...p };
    } else drag.current = { kind: "pan", ...p };
  };
  const move = (event: PointerEvent) => {
    const held = drag.current;
    if (!held) return;
    const p = at(event);
    if (held.kind === "line") {
      const x = toPicture(shown, p).x + 0.5;
      set({ line: Math.min(0.99, Math.max(0.01, x / clip.width)) });
    } else if (held.kind === "pan") set({ view: panned(shown, p.x - held.x, p.y - held.y) });
    else drawOn(inside(toPicture(shown, p)));
    drag.current = { ...held, ...p };
  };
  const wheel = (event: WheelEvent) => {
    const rect = canvas.current!.getBoundingClientRect();
    set({
      view: zoomed(shown, Math.exp(-event.deltaY / 400), { x: event.clientX - rect.left, y: event.clientY - rect.top }),
    });
  };
  return (
    <div className="relative min-h-0 min-w-0 flex-1 overflow-hidden bg-[#161616]">
      <canvas
        ref={canvas}
        aria-label={`Frame ${frame}, ${side.words}`}
        className="absolute inset-0 h-full w-full touch-none"
        style={{ cursor: tool === "look" ? "grab" : "crosshair" }}
        onPointerDown={down}
        onPointerMove={move}
        onPointerUp={() => {
          drag.current = null;
        }}
        onWheel={wheel}
        onDoubleClick={() => set({ view: null })}
      />
      {here.problem && (
        <p role="alert" className="absolute inset-x-0 top-4 text-center">
          {here.problem}
        </p>
      )}
      <Badge words={side.words} place="left-3" late={here.late} />
      {split && other && <Badge words={other.words} place="right-3" late={there.late} />}
    </div>
  );
}

/** Draws on what is being written. */
function drawOn(p: Point) {
  const { draft, set } = useReviewRoom.getState();
  const last = draft?.lines.at(-1)?.at(-1);
  if (!draft || !last || Math.hypot(p.x - last.x, p.y - last.y) < FAR) return;
  set({ draft: { ...draft, lines: [...draft.lines.slice(0, -1), [...draft.lines.at(-1)!, p]] } });
}

function Badge({ words, place, late }: { words: string; place: string; late: boolean }) {
  return (
    <span className={`pointer-events-none absolute top-3 ${place} rounded bg-black/60 px-2 py-0.5 text-soft`}>
      {words}
      {late ? " …" : ""}
    </span>
  );
}
