import { type PointerEvent, useCallback, useEffect, useLayoutEffect, useRef } from "react";
import { type Box, fitted, panned, toPicture, type View, zoomed } from "../../../canvas/view";
import type { Point } from "../../../geometry/points";
import { useBench } from "../store";
import type { Space } from "./slice";

export interface Press {
  at: Point;
  screen: Point;
  pressure: number;
  alt: boolean;
  shift: boolean;
  view: View;
}

export interface Hands {
  /** Returns whether the press is taken; else it pans. */
  down: (press: Press) => boolean;
  move: (press: Press) => void;
  up: (press: Press) => void;
  double?: (press: Press) => void;
}

interface Props {
  space: Space;
  box: Box;
  label: string;
  cursor: string;
  hands: Hands;
  /** Draws picture and overlays; called in an animation frame. */
  draw: (ink: CanvasRenderingContext2D, view: View, size: { width: number; height: number }) => void;
}

/** A picture that can be zoomed with the wheel, panned with the middle button or Space, and worked on. */
export function PictureView({ space, box, label, cursor, hands, draw }: Props) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const frame = useRef(0);
  const grabbed = useRef<"pan" | "hands" | null>(null);
  const last = useRef<Point>({ x: 0, y: 0 });
  const setView = useBench((state) => state.view);
  const set = useBench((state) => state.set);

  const current = useCallback((): View => {
    const kept = useBench.getState().views[space];
    const element = canvas.current;
    return kept ?? fitted(box, element?.clientWidth ?? 1, element?.clientHeight ?? 1);
  }, [space, box]);

  const latest = useRef({ draw, current });
  latest.current = { draw, current };
  const paint = useCallback(() => {
    cancelAnimationFrame(frame.current);
    frame.current = requestAnimationFrame(() => {
      const element = canvas.current;
      if (!element) return;
      const dense = window.devicePixelRatio || 1;
      const [width, height] = [element.clientWidth, element.clientHeight];
      if (element.width !== Math.round(width * dense) || element.height !== Math.round(height * dense)) {
        element.width = Math.round(width * dense);
        element.height = Math.round(height * dense);
      }
      const ink = element.getContext("2d");
      if (!ink) return;
      ink.setTransform(dense, 0, 0, dense, 0, 0);
      ink.fillStyle = "#1e1e1e";
      ink.fillRect(0, 0, width, height);
      latest.current.draw(ink, latest.current.current(), { width, height });
    });
  }, []);

  useLayoutEffect(paint); // whatever has changed: at most once a screen frame

  useEffect(() => {
    const element = canvas.current!;
    const watch = new ResizeObserver(() => {
      const size = { width: element.clientWidth, height: element.clientHeight };
      useBench.setState((state) => ({ sizes: { ...state.sizes, [space]: size } }));
      paint();
    });
    watch.observe(element);
    const wheel = (event: WheelEvent) => {
      event.preventDefault();
      const at = { x: event.offsetX, y: event.offsetY };
      setView(space, zoomed(latest.current.current(), Math.exp(-event.deltaY * 0.0016), at));
    };
    element.addEventListener("wheel", wheel, { passive: false });
    return () => {
      watch.disconnect();
      element.removeEventListener("wheel", wheel);
    };
  }, [paint, setView, space]);

  const press = (event: PointerEvent | React.MouseEvent): Press => {
    const native = event.nativeEvent as globalThis.PointerEvent;
    const screen = { x: native.offsetX, y: native.offsetY };
    const now = current();
    const pressure = native.pointerType === "pen" ? native.pressure : 1;
    return { at: toPicture(now, screen), screen, pressure, alt: event.altKey, shift: event.shiftKey, view: now };
  };

  return (
    <canvas
      ref={canvas}
      aria-label={label}
      role="img"
      data-space={space}
      className="absolute inset-0 size-full touch-none"
      style={{ cursor }}
      onPointerDown={(event) => {
        event.currentTarget.setPointerCapture(event.pointerId);
        const made = press(event);
        last.current = made.screen;
        grabbed.current = event.button === 1 || event.button === 2 || !hands.down(made) ? "pan" : "hands";
      }}
      onPointerMove={(event) => {
        const made = press(event);
        set({ pointer: { space, at: made.at } });
        if (grabbed.current === "pan")
          setView(space, panned(current(), made.screen.x - last.current.x, made.screen.y - last.current.y));
        else if (grabbed.current === "hands") hands.move(made);
        last.current = made.screen;
      }}
      onPointerUp={(event) => {
        if (grabbed.current === "hands") hands.up(press(event));
        grabbed.current = null;
      }}
      onPointerCancel={() => {
        grabbed.current = null;
      }}
      onPointerLeave={() => set({ pointer: null })}
      onDoubleClick={(event) => hands.double?.(press(event))}
      onContextMenu={(event) => event.preventDefault()}
    />
  );
}
