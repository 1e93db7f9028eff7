import { useEffect, useState } from "react";
import type { Fix, Shot } from "../../../api/client";
import { useBench } from "../store";
import { addressOf, store } from "../viewer/pictures";
import { count, useSpan } from "./span";
import { useDrawn } from "./useDrawn";

const LOOK_AGAIN = 400; // ms between looks at what is in memory
const MOST_LOOKS = 1500; // frames asked about at a time; a longer stretch is looked at in steps

/** Which frames would play without waiting, as a thin line under the numbers. */
export function Cached({ shot, fixes }: { shot: Shot; fixes: Fix[] }) {
  const span = useSpan(shot);
  const { compare, channel, stress } = useBench();
  const [turn, setTurn] = useState(0);
  useEffect(() => {
    const clock = setInterval(() => setTurn(store.turn), LOOK_AGAIN);
    return () => clearInterval(clock);
  }, []);
  const canvas = useDrawn(
    ({ ink, width, height }) => {
      const by = Math.ceil(count(span) / MOST_LOOKS);
      const step = width / count(span);
      ink.fillStyle = "#7d7d7a";
      const way = { wide: 1280, channel, stress: compare === "stress" ? stress : null };
      for (let frame = span.first; frame <= span.last; frame += by)
        if (store.holds(addressOf(shot, frame, compare === "split" ? "patched" : compare, fixes, way)))
          ink.fillRect((frame - span.first) * step, 0, Math.max(1, step * by), height);
    },
    [turn, compare, channel, stress, shot, fixes, span],
  );
  return <canvas ref={canvas} className="absolute top-[26px] h-[2px] w-full" />;
}
