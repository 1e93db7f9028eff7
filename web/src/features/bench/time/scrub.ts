import { type PointerEvent, useEffect, useRef } from "react";
import type { Shot } from "../../../api/client";
import { useBench } from "../store";
import { count, panTime, useSpan, zoomTime } from "./span";

/** The column left of all that lies along time. */
export const GUTTER = "w-[206px] shrink-0";
const ZOOM = 0.0022; // a wheel's step to a factor
const PAN = 0.0012; // a wheel's step to a share of what is shown

/** Dragging along a row of frames goes through them; the wheel moves along, with Ctrl it zooms about the pointer. */
export function useScrub(shot: Shot) {
  const set = useBench((state) => state.set);
  const { first, last } = useSpan(shot);
  const row = useRef<HTMLDivElement>(null);
  const latest = useRef(shot);
  latest.current = shot;
  useEffect(() => {
    const element = row.current!;
    const wheel = (event: WheelEvent) => {
      event.preventDefault();
      const box = element.getBoundingClientRect();
      if (event.ctrlKey)
        zoomTime(latest.current, Math.exp(event.deltaY * ZOOM), (event.clientX - box.left) / box.width);
      else panTime(latest.current, (event.deltaX || event.deltaY) * PAN);
    };
    element.addEventListener("wheel", wheel, { passive: false });
    return () => element.removeEventListener("wheel", wheel);
  }, []);
  const to = (event: PointerEvent<HTMLElement>) => {
    const box = event.currentTarget.getBoundingClientRect();
    const part = (event.clientX - box.left) / box.width;
    const frame = first + Math.floor(part * count({ first, last }));
    set({ frame: Math.min(last, Math.max(first, frame)), playing: false });
  };
  return {
    ref: row,
    onPointerDown: (event: PointerEvent<HTMLElement>) => {
      event.currentTarget.setPointerCapture(event.pointerId);
      to(event);
    },
    onPointerMove: (event: PointerEvent<HTMLElement>) => event.buttons & 1 && to(event),
  };
}
