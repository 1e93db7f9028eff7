import { useEffect, useRef } from "react";
import type { Shot } from "../../api/client";
import { FrameStore } from "../../canvas/frames";
import { Player } from "../../canvas/player";
import { usePicture } from "../../ui/usePicture";
import type { Side } from "./sides";
import { useReviewRoom } from "./state";

const KEPT_BYTES = 320_000_000;
const AHEAD = 12;
const AT_ONCE = 3;
const store = new FrameStore(KEPT_BYTES);

/** A frame of a side; the one before it stays until it is there. */
export const useSidePicture = (side: Side | null, frame: number) => usePicture(store, side?.address(frame) ?? null);

/** Runs the clock, and fetches what is coming. */
export function usePlaying(shot: Shot, sides: Side[]) {
  const playing = useReviewRoom((state) => state.playing);
  const latest = useRef(sides);
  latest.current = sides;
  useEffect(() => {
    if (!playing) return;
    const { clip } = shot;
    const player = new Player(clip.first, clip.last, clip.rate_num / clip.rate_den, "loop");
    player.start(useReviewRoom.getState().frame, performance.now());
    let handle = 0;
    const beat = (now: number) => {
      const due = player.due(now);
      const wanted = latest.current.map((side) => side.address(due.frame));
      const { frame } = useReviewRoom.getState();
      if ((due.frame !== frame || due.count === 0) && wanted.every((address) => store.get(address))) {
        player.show(due.count);
        useReviewRoom.setState({ frame: due.frame, dropped: player.dropped });
      }
      for (let k = 0; k < AHEAD && store.busy < AT_ONCE; k++)
        for (const side of latest.current) {
          const ahead = side.address(player.ahead(due.count + k));
          if (!store.has(ahead) && !store.problems.has(ahead)) void store.want(ahead);
        }
      handle = requestAnimationFrame(beat);
    };
    handle = requestAnimationFrame(beat);
    return () => cancelAnimationFrame(handle);
  }, [playing, shot]);
}
