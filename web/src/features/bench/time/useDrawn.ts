import { type DependencyList, useLayoutEffect, useRef } from "react";

export interface Sheet {
  ink: CanvasRenderingContext2D;
  /** Canvas pixels. */
  width: number;
  height: number;
  dense: number;
}

/** A canvas that is drawn again when something it depends on, or its size, has changed; and not otherwise. */
export function useDrawn(draw: (sheet: Sheet) => void, on: DependencyList) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const latest = useRef(draw);
  latest.current = draw;
  useLayoutEffect(() => {
    const element = canvas.current;
    const ink = element?.getContext("2d");
    if (!element || !ink) return;
    const again = () => {
      const dense = window.devicePixelRatio || 1;
      element.width = element.clientWidth * dense;
      element.height = element.clientHeight * dense;
      latest.current({ ink, width: element.width, height: element.height, dense });
    };
    again();
    const watch = new ResizeObserver(again);
    watch.observe(element);
    return () => watch.disconnect();
    // biome-ignore lint/correctness/useExhaustiveDependencies: the caller says what the drawing depends on
  }, on);
  return canvas;
}
