import type { PointerEvent } from "react";
import { useBench } from "../store";

/** The column left of all that lies along time. */
export const GUTTER = "w-[206px] shrink-0";

/** Dragging along a row of frames goes through them. */
export function useScrub(first: number, last: number) {
  const set = useBench((state) => state.set);
  const to = (event: PointerEvent<HTMLElement>) => {
    const box = event.currentTarget.getBoundingClientRect();
    const part = (event.clientX - box.left) / box.width;
    const frame = first + Math.floor(part * (last - first + 1));
    set({ frame: Math.min(last, Math.max(first, frame)), playing: false });
  };
  return {
    onPointerDown: (event: PointerEvent<HTMLElement>) => {
      event.currentTarget.setPointerCapture(event.pointerId);
      to(event);
    },
    onPointerMove: (event: PointerEvent<HTMLElement>) => event.buttons & 1 && to(event),
  };
}
