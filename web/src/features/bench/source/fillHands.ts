import { useEffect, useRef, useState } from "react";
import type { Fix } from "../../../api/client";
import { add, distance, type Point, sub } from "../../../geometry/points";
import { inside } from "../../../geometry/shapes";
import { outlineNodes } from "../shared/nodes";
import type { Change } from "../shared/panel";
import { donorAt, withDonor } from "./BorrowPart";
import { keepFill } from "./changes";
import type { Fill } from "./ways";

const REACH = 12; // screen px
const ARROW = 1.5; // times the mark's half size: the arrow's length
const SHORTEST = 40; // px

/** The mark's middle and half its size, on the still surface. */
export function middleOf(fix: Fix, frame: number): { middle: Point; half: number } | null {
  const points = fix.edge.outlines.flatMap((one) => outlineNodes(one, frame));
  if (!points.length) return null;
  const [xs, ys] = [points.map((p) => p.x), points.map((p) => p.y)];
  const [left, right, top, low] = [Math.min(...xs), Math.max(...xs), Math.min(...ys), Math.max(...ys)];
  return { middle: { x: (left + right) / 2, y: (top + low) / 2 }, half: Math.max(right - left, low - top) / 2 };
}

const turned = (p: Point, about: Point, degrees: number, zoom: number): Point => {
  const [c, s] = [Math.cos((degrees * Math.PI) / 180), Math.sin((degrees * Math.PI) / 180)];
  const [x, y] = [(p.x - about.x) / zoom, (p.y - about.y) / zoom];
  return { x: about.x + c * x + s * y, y: about.y - s * x + c * y };
};

/** A fill on the picture: the arrow of pull is turned, the donor of borrow is dragged. */
export function useFillHands(fix: Fix | null, frame: number, change: Change) {
  const [shown, setShown] = useState<Partial<Fill> | null>(null);
  // read back within the same frame: a quick drag ends before it is drawn
  const draft = useRef<Partial<Fill> | null>(null);
  const setDraft = (next: Partial<Fill> | null) => {
    draft.current = next;
    setShown(next);
  };
  const grip = useRef<{ kind: "arrow" | "donor"; from: Point } | null>(null);
  // biome-ignore lint/correctness/useExhaustiveDependencies: a new version is the signal
  useEffect(() => {
    if (!grip.current) setDraft(null); // an answer that comes during a drag does not end it
  }, [fix?.version]);
  const on = fix?.source === "fill" && !fix.stands ? fix : null;
  const fill = on ? { ...on.fill, ...shown } : null;
  const at = on ? middleOf(on, frame) : null;

  function arrow(): { from: Point; to: Point } | null {
    if (!fill || !at || fill.kind !== "pull" || fill.direction === null || fill.direction === undefined) return null;
    const long = Math.max(SHORTEST, ARROW * at.half);
    const way = (fill.direction * Math.PI) / 180;
    const by = { x: long * Math.cos(way), y: long * Math.sin(way) };
    return { from: sub(at.middle, by), to: add(at.middle, by) };
  }

  function donor(): Point[] | null {
    if (!on || !fill || !at || fill.kind !== "borrow") return null;
    const place = donorAt(fill, frame);
    const [x, y] = place.offset[0] || place.offset[1] ? place.offset : [2.4 * at.half, 0];
    const nodes = outlineNodes(on.edge.outlines[0], frame);
    return nodes.map((p) => add(turned(p, at.middle, place.turn, place.zoom), { x, y }));
  }

  return {
    arrow,
    donor,
    begin(press: Point, scale: number): boolean {
      const [tip, place] = [arrow(), donor()];
      if (tip && distance(tip.to, press) * scale <= REACH) grip.current = { kind: "arrow", from: press };
      else if (place && inside(place, press)) grip.current = { kind: "donor", from: press };
      return grip.current !== null;
    },
    dragging: () => grip.current !== null,
    drag(to: Point) {
      const held = grip.current;
      if (!held || !on || !at) return;
      const fill = { ...on.fill, ...draft.current };
      if (held.kind === "arrow") {
        const degrees = (Math.atan2(to.y - at.middle.y, to.x - at.middle.x) * 180) / Math.PI;
        setDraft({ direction: Math.round(degrees) });
        return;
      }
      const now = donorAt(fill, frame).offset;
      const start = now[0] || now[1] ? now : ([2.4 * at.half, 0] as [number, number]);
      const by = sub(to, held.from);
      held.from = to;
      setDraft({ ...draft.current, ...withDonor(fill, frame, { offset: [start[0] + by.x, start[1] + by.y] }) });
    },
    end() {
      grip.current = null;
      if (!draft.current || !on) return;
      const fill = { ...on.fill, ...draft.current };
      const round = ([x, y]: [number, number]): [number, number] => [Math.round(x), Math.round(y)];
      keepFill(change, on, {
        ...fill,
        offset: round(fill.offset),
        keys: (fill.keys ?? []).map((key) => ({ ...key, offset: round(key.offset) })),
      });
    },
    drop: () => setDraft(null),
  };
}
