import { useEffect, useRef, useState } from "react";
import type { Fix } from "../../../api/client";
import { say } from "../../../ui/messages";

export interface PlateCanvas {
  canvas: OffscreenCanvas;
  left: number;
  top: number;
  /** Counts up whenever its pixels change. */
  turn: number;
  version: number;
}

interface Dirty {
  x: number;
  y: number;
  w: number;
  h: number;
}

const address = (fix: Fix, dirty: Dirty | null, look: string) =>
  `/pictures/fixes/${fix.id}/plate.png?l=${look}&v=${fix.version}-${fix.plate?.id}${look.endsWith("grainless") ? "&grainless=1" : ""}${dirty ? `&x=${dirty.x}&y=${dirty.y}&w=${dirty.w}&h=${dirty.h}` : ""}`;

/** What a stroke may have changed on the still surface, in whole pixels. */
export function touched(stroke: { points: [number, number, number][]; brush: { radius: number } }): Dirty {
  const xs = stroke.points.map((p) => p[0]);
  const ys = stroke.points.map((p) => p[1]);
  const reach = Math.ceil(stroke.brush.radius) + 2;
  const x = Math.floor(Math.min(...xs)) - reach;
  const y = Math.floor(Math.min(...ys)) - reach;
  return { x, y, w: Math.ceil(Math.max(...xs)) + reach - x, h: Math.ceil(Math.max(...ys)) + reach - y };
}

/** The part that strokes of ours changed between two versions; null when anything else may have changed too. */
export function changedSince(dirty: Map<number, Dirty>, from: number, to: number): Dirty | null {
  let all: Dirty | null = null;
  for (let version = from + 1; version <= to; version++) {
    const area = dirty.get(version);
    if (!area) return null;
    all = all ? joined(all, area) : area;
  }
  return all;
}

function joined(a: Dirty, b: Dirty): Dirty {
  const x = Math.min(a.x, b.x);
  const y = Math.min(a.y, b.y);
  return { x, y, w: Math.max(a.x + a.w, b.x + b.w) - x, h: Math.max(a.y + a.h, b.y + b.h) - y };
}

const plate_ = (fix: Fix | null) => fix?.plate?.id ?? 0;

/**
 * The engine's plate as a canvas that follows the fix. After a stroke of ours only the part that it touched is fetched
 * again. Nothing is fetched while the plate is not looked at (`open`).
 */
export function usePlate(fix: Fix | null, open: boolean, look: string) {
  const held = useRef<PlateCanvas | null>(null);
  const wantedLook = `${look} ${plate_(fix)}`;
  const lookHeld = useRef(wantedLook);
  const dirty = useRef(new Map<number, Dirty>());
  const [turn, setTurn] = useState(0);
  const plate = fix?.plate ?? null;
  const version = fix?.version ?? 0;

  useEffect(() => {
    if (!fix || !plate) {
      held.current = null;
      return;
    }
    if (!open) return;
    if (lookHeld.current !== wantedLook) held.current = null;
    lookHeld.current = wantedLook;
    let gone = false;
    const part = held.current ? changedSince(dirty.current, held.current.version, version) : null;
    if (held.current?.version === version && held.current.left === plate.left) return;
    fetch(address(fix, part, look), { credentials: "same-origin" })
      .then((answer) =>
        answer.ok
          ? answer.blob()
          : Promise.reject(new Error("The plate could not be loaded; your strokes are kept. Open the shot again.")),
      )
      .then((blob) => createImageBitmap(blob))
      .then((bitmap) => {
        if (gone) return;
        const canvas = part && held.current ? held.current.canvas : new OffscreenCanvas(plate.width, plate.height);
        const x = part ? Math.max(part.x, plate.left) - plate.left : 0;
        const y = part ? Math.max(part.y, plate.top) - plate.top : 0;
        canvas.getContext("2d")!.drawImage(bitmap, x, y);
        held.current = { canvas, left: plate.left, top: plate.top, turn: (held.current?.turn ?? 0) + 1, version };
        for (const known of [...dirty.current.keys()]) if (known <= version) dirty.current.delete(known);
        setTurn((now) => now + 1);
      })
      .catch((error: Error) => {
        if (!gone) say(error.message);
      });
    return () => {
      gone = true;
    };
  }, [fix, plate, version, open, look, wantedLook]);

  return {
    plate: plate ? held.current : null,
    turn,
    expect: (area: Dirty, next: number) => {
      dirty.current.set(next, area);
    },
  };
}
