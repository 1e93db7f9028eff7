import { useEffect, useLayoutEffect, useRef, useState } from "react";
import type { Fix, Shot } from "../../../api/client";
import { addressOf, store } from "../pictures";
import { useBench } from "../store";

const LOOK_AGAIN = 400; // ms between looks at what is in memory

/** Which frames would play without waiting, as a thin line under the numbers. */
export function Cached({ shot, fixes }: { shot: Shot; fixes: Fix[] }) {
  const { first, last } = shot.clip;
  const canvas = useRef<HTMLCanvasElement>(null);
  const { compare, channel, stress } = useBench();
  const [turn, setTurn] = useState(0);
  useEffect(() => {
    const clock = setInterval(() => setTurn(store.turn), LOOK_AGAIN);
    return () => clearInterval(clock);
  }, []);
  // biome-ignore lint/correctness/useExhaustiveDependencies: the store's turn is the signal
  useLayoutEffect(() => {
    const element = canvas.current;
    const ink = element?.getContext("2d");
    if (!element || !ink) return;
    const total = last - first + 1;
    element.width = element.clientWidth;
    const step = element.width / total;
    ink.clearRect(0, 0, element.width, element.height);
    ink.fillStyle = "#7d7d7a";
    const way = { wide: 1280, channel, stress: compare === "stress" ? stress : null };
    for (let frame = first; frame <= last; frame++)
      if (store.holds(addressOf(shot, frame, compare === "split" ? "patched" : compare, fixes, way)))
        ink.fillRect((frame - first) * step, 0, Math.max(1, step), element.height);
  }, [turn, compare, channel, stress, shot, fixes, first, last]);
  return <canvas ref={canvas} height={2} className="absolute top-[26px] h-[2px] w-full" />;
}
