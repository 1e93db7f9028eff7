import { useMemo } from "react";
import { fitted, type View } from "../../../canvas/view";
import type { HoldMap } from "../../../geometry/holdmap";
import { MessageLine } from "../../../ui/messages";
import { shotBox, stillBox } from "../shared/holds";
import { useBench } from "../store";
import { Badge } from "./Badge";
import { useGestures } from "./gestures";
import { Inset } from "./Inset";
import { PictureView } from "./PictureView";
import * as paint from "./paint";
import { useNeighbours } from "./pictures";
import type { Given, Room } from "./room";
import { markOf, useShotPicture, useStillPicture } from "./shown";
import type { Space } from "./slice";
import { Values } from "./Values";
import { useWide } from "./wide";

interface Props extends Given {
  rooms: Room[];
}

/** The two pictures, linked by the pointer: one in the other, or side by side where there is room. */
export function Viewer({ rooms, ...given }: Props) {
  const { shot, fix, fixes, frame, held } = given;
  const bench = useBench();
  const { main, tool, hidden, playing } = bench;
  const wide = useWide();
  const compare = bench.before ? "source" : bench.compare;
  const map = held?.map ?? null;
  const hold = fix?.hold ?? null;
  const gestures = useGestures(rooms, shot);
  const boxes = useMemo(() => ({ shot: shotBox(shot), still: hold ? stillBox(hold) : shotBox(shot) }), [shot, hold]);
  const viewOf = (space: Space) =>
    bench.views[space] ?? fitted(boxes[space], bench.sizes[space].width, bench.sizes[space].height);
  const shown = useShotPicture(given, rooms, compare, boxes.shot, viewOf("shot"));
  const still = useStillPicture(given, rooms, compare, shown.way, viewOf("still").scale);
  useNeighbours(shot, fixes, frame, compare === "split" ? "patched" : compare, hold?.id, shown.way);

  function drawOver(ink: CanvasRenderingContext2D, view: View, space: Space) {
    const plain = paint.placer(view, null);
    const dragged: HoldMap | null = rooms.map((room) => room.map).find(Boolean) ?? map;
    const place = space === "still" ? plain : map && paint.placer(view, dragged);
    if (!hidden) for (const room of rooms) room.paint?.({ ink, view, space, plain, place, map, playing });
    if (gestures.loop?.space === space) paint.loop(ink, gestures.loop.points.map(plain));
    if (hidden || !map || !bench.pointer || bench.pointer.space === space) return;
    const at = space === "shot" ? paint.placer(view, map)(bench.pointer.at) : plain(map.inverse(bench.pointer.at));
    paint.cross(ink, at);
  }

  const draws = {
    shot(ink: CanvasRenderingContext2D, view: View) {
      shown.draw(ink, view);
      drawOver(ink, view, "shot");
    },
    still(ink: CanvasRenderingContext2D, view: View) {
      still.draw(ink, view);
      drawOver(ink, view, "still");
    },
  };
  const words = { shot: `Shot ${frame}`, still: still.words };
  const cursorOf = (space: Space) =>
    rooms.map((room) => room.cursor?.[space]).find((one) => one === "none") ??
    (space === "shot" && tool !== "look" ? "crosshair" : undefined) ??
    rooms.map((room) => room.cursor?.[space]).find(Boolean) ??
    "grab";
  const view = (space: Space) => (
    <>
      <PictureView
        key={space}
        space={space}
        box={boxes[space]}
        label={words[space]}
        cursor={cursorOf(space)}
        hands={gestures.hands(space)}
        draw={draws[space]}
      />
      <Badge words={words[space]} space={space} />
      {space === "still" && fix && !still.there && (
        <p className="absolute inset-0 grid place-items-center p-4 text-center text-soft">
          Not held on this frame yet. It shows here as soon as the tracker has been.
        </p>
      )}
    </>
  );
  const note =
    shown.problem ??
    (compare === "changes" && !fixes.some((entry) => entry.on && !entry.lacks) ? "Nothing is altered yet" : null) ??
    rooms.map((room) => room.note ?? room.loops?.[tool]?.words ?? room.words?.[tool]).find(Boolean) ??
    rooms.map((room) => room.shot?.words).find(Boolean);
  const other: Space = main === "shot" ? "still" : "shot";
  const both = !!fix && !hidden;
  return (
    <div className="relative flex min-h-0 min-w-0 flex-1 gap-px overflow-hidden bg-felt-0">
      <div className="relative min-w-0 flex-1">{view(main)}</div>
      {both && wide && <div className="stitch-l relative min-w-0 flex-1">{view(other)}</div>}
      {both && !wide && <Inset mark={markOf(given, main, viewOf(main), map)}>{view(other)}</Inset>}
      {note && (
        <div
          role="status"
          className="absolute top-2 left-1/2 max-w-[70%] -translate-x-1/2 rounded-md bg-felt-0/90 px-3 py-1.5 text-center text-ink"
        >
          {note}
        </div>
      )}
      <Values shot={shot} below={!!note} />
      <MessageLine />
    </div>
  );
}
