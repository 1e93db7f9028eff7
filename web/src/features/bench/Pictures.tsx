import { Maximize2 } from "lucide-react";
import { useCallback, useMemo } from "react";
import type { Fix, Shot } from "../../api/client";
import { useEdgeLines } from "../../api/queries";
import { fitted, type View } from "../../canvas/view";
import { MessageLine } from "../../ui/messages";
import { wanted } from "./hold/draft";
import * as onHold from "./hold/paintHold";
import {
  isHeld,
  outlineNodes,
  PLAIN,
  pathNodes,
  seeAddress,
  shotBox,
  sightAddress,
  stillAddress,
  stillBox,
} from "./model";
import { PictureView } from "./PictureView";
import * as paint from "./paint";
import { addressOf, useBitmap, useDetail, useHeld, useNeighbours, useWay } from "./pictures";
import { usePlate } from "./plate";
import { fromDonor } from "./source/BrushPart";
import { useApart } from "./source/useBrushHands";
import { type Space, type Tool, useBench } from "./store";
import { useHands } from "./useHands";
import { Values } from "./Values";

interface Props {
  shot: Shot;
  fix: Fix | null;
  fixes: Fix[];
  onHands: (hands: ReturnType<typeof useHands>) => void;
}

const TOOL_WORDS: Partial<Record<Tool, string>> = {
  circle: "Draw a loose loop round the mark where it is sharp. Esc leaves.",
  ground: "Draw round the surface to read; this frame becomes the anchor. Esc leaves.",
  read: "Draw round one more part of the surface to read. Esc leaves.",
  ignore: "Draw round a part of the surface to leave out. Esc leaves.",
  passing: "Draw round what passes in front on this frame. Esc leaves.",
  line: "Draw a straight line across the surface, in either picture. Esc leaves.",
  add: "Draw a loop that is added to the edge. Esc leaves.",
  take: "Draw a loop that is taken away from the edge. Esc leaves.",
  draw: "Draw a line along what is to go. Esc leaves.",
  front: "Draw round what is in front on this frame. Esc leaves.",
  behind: "Draw round what is not in front. Esc leaves.",
  brushFront: "Brush over what is in front on this frame; with Alt, what is not. Esc leaves.",
  protect: "Draw round what strokes may touch, in the Still view. Esc leaves.",
  moveStroke: "Drag the chosen stroke in the Still view. Esc leaves.",
  repair: "Click a clean, sharp place in the Still view. Esc leaves.",
};

const SEEN = { light: "its light", matte: "matte", front: "what is in front", picture: "" };

/** The picture of the frame that a donor lies on, held still. */
function useOther(fix: Fix | null, shot: Shot, fixes: Fix[]) {
  const source = useBench((state) => state.way.source);
  const stage = useBench((state) => state.stage);
  const on = typeof source === "number" && stage === "source" && fix?.hold;
  const { bitmap } = useBitmap(on ? stillAddress(fix, shot, source, fixes, false, PLAIN, false) : null);
  return useMemo(
    () => (on && bitmap ? { bitmap, left: fix.hold!.still_left, top: fix.hold!.still_top } : null),
    [on, bitmap, fix],
  );
}

/** The two pictures, one in the other, linked by the pointer. */
export function Pictures({ shot, fix, fixes, onHands }: Props) {
  const bench = useBench();
  const { frame, main, stage, tool, hidden, pointer, node, before, line } = bench;
  const { holdPart, laid, testLine, grab } = bench;
  const compare = before ? "source" : bench.compare;
  const held = useHeld(fix, frame);
  const map = held?.map ?? null;
  const hold = fix?.hold ?? null;
  const plates = usePlate(fix, stage === "source", `${shot.look_name}${bench.grainless ? " grainless" : ""}`);
  const elsewhere = useOther(fix, shot, fixes);
  const hands = useHands({ shot, fix, held, plates, other: elsewhere });
  useApart(fix);
  onHands(hands);
  const draft = hands.hold.windowDraft;
  const boxes = useMemo(() => ({ shot: shotBox(shot), still: hold ? stillBox(hold) : shotBox(shot) }), [shot, hold]);
  const viewOf = (space: Space) =>
    bench.views[space] ?? fitted(boxes[space], bench.sizes[space].width, bench.sizes[space].height);
  const shotView = viewOf("shot");
  const way = useWay(shot, shotView);
  const split = compare === "split";
  useNeighbours(shot, fixes, frame, split ? "patched" : compare, hold?.id, way);

  const frozen = bench.playing && main === "still";
  const sight = bench.sight && stage === "hold" && fix ? wanted(fix, bench.draft) : null;
  const address =
    sight && fix
      ? sightAddress(fix, frame, sight.method)
      : addressOf(shot, frame, split ? "patched" : compare, fixes, way);
  const shotPicture = useBitmap(address, frozen);
  const detail = useDetail(sight ? null : address, boxes.shot, shotView, bench.sizes.shot);
  const otherAddress = addressOf(shot, frame, "source", fixes, way);
  const other = useBitmap(split ? otherAddress : null, frozen);
  const otherDetail = useDetail(split ? otherAddress : null, boxes.shot, shotView, bench.sizes.shot);
  const painting = stage === "source" && !!fix?.plate && !!plates.plate;
  const seeing =
    fix && !fix.lacks && bench.see !== "picture" && (stage === "edge" || stage === "match") ? bench.see : null;
  const known = !!fix && !!hold && isHeld(hold, frame);
  const stillPicture = useBitmap(
    fix && known && seeing
      ? seeAddress(fix, frame, fixes, seeing)
      : fix && known && !painting
        ? stillAddress(
            fix,
            shot,
            frame,
            fixes,
            compare !== "source" && !fix.lacks,
            way,
            !bench.playing && viewOf("still").scale >= 1,
          )
        : null,
    bench.playing && main === "shot",
  );
  const edged = stage === "edge";
  const edgeLines = useEdgeLines(fix, frame, edged).data;

  const overlays = useCallback(
    (ink: CanvasRenderingContext2D, view: View, space: Space) => {
      if (hidden || !fix) return;
      const plain = paint.placer(view, null);
      if (stage === "hold" && space === "shot") onHold.passing(ink, plain, fix, draft, frame);
      if (space === "shot" && edged) paint.drawnFront(ink, plain, fix, frame);
      if (space === "shot" && !map && !fix.stands) return;
      const place = paint.placer(view, space === "shot" ? (hands.hold.preview ?? map) : null);
      // a mark that stands still in the frame has its edge there, whatever the surface does
      const stood: paint.Place = fix.stands
        ? space === "shot"
          ? plain
          : (p) => (map ? plain(map.inverse(p)) : plain(p))
        : place;
      const line = hands.hold.line ?? testLine;
      if (line) onHold.testLine(ink, place, line);
      if (bench.playing && space === "shot" && stage !== "hold") return;
      if (stage === "hold" && hold) {
        if (laid === "mesh") paint.mesh(ink, place, hold);
        else if (laid === "trust" && held) onHold.trust(ink, place, hold, held);
        else onHold.laid(ink, place, hold, laid);
        onHold.ground(ink, place, fix, draft);
        if (space === "shot" && frame === hold.anchor) onHold.windows(ink, plain, fix, draft);
        if (space === "shot" && holdPart === "correct" && frame !== hold.anchor)
          onHold.grips(ink, place, hold, frame, grab === "corner");
      }
      if (stage !== "check" && stage !== "source")
        fix.edge.outlines.forEach((one, k) => {
          const nodes = k === bench.outline ? hands.edge.nodes : outlineNodes(one, frame);
          paint.outline(ink, stood, nodes, one.width ?? null, edged && k !== bench.outline);
        });
      if (stage === "source" && !bench.playing) {
        if (fix.protect) paint.outline(ink, place, pathNodes(fix.protect), null, false);
        if (hands.art.corners) paint.art(ink, place, hands.art.corners);
        if (hands.edge.nodes.length > 2) paint.outline(ink, stood, hands.edge.nodes, null, true);
      }
      if (edged) {
        if (edgeLines) paint.extent(ink, stood, edgeLines.full, edgeLines.ends);
        paint.grips(ink, stood, hands.edge.nodes, node);
      }
    },
    [
      hidden,
      fix,
      map,
      held,
      stage,
      hold,
      holdPart,
      grab,
      laid,
      testLine,
      draft,
      frame,
      bench.playing,
      hands.hold.preview,
      hands.hold.line,
      hands.edge.nodes,
      hands.art.corners,
      edgeLines,
      edged,
      bench.outline,
      node,
    ],
  );

  const drawShot = useCallback(
    (ink: CanvasRenderingContext2D, view: View) => {
      if (shotPicture.bitmap) paint.picture(ink, view, shotPicture.bitmap, 0, 0, shot.clip);
      if (detail) paint.picture(ink, view, detail.bitmap, detail.left, detail.top);
      if (split && other.bitmap) {
        const middle = paint.placer(
          view,
          null,
        )(line.at ?? { x: (shot.clip.width - 1) / 2, y: (shot.clip.height - 1) / 2 });
        ink.save();
        paint.clipToSide(ink, middle, line.angle);
        paint.picture(ink, view, other.bitmap, 0, 0, shot.clip);
        if (otherDetail) paint.picture(ink, view, otherDetail.bitmap, otherDetail.left, otherDetail.top);
        ink.restore();
        if (!hidden) paint.splitLine(ink, middle, line.angle);
      }
      overlays(ink, view, "shot");
      if (hands.loop)
        paint.loop(
          ink,
          hands.loop.points.map((p) => paint.placer(view, null)(p)),
        );
      if (!hidden && pointer?.space === "still" && map) paint.cross(ink, paint.placer(view, map)(pointer.at));
    },
    [
      shotPicture.bitmap,
      detail,
      other.bitmap,
      otherDetail,
      split,
      line,
      shot,
      overlays,
      hands.loop,
      pointer,
      map,
      hidden,
    ],
  );

  const drawStill = useCallback(
    (ink: CanvasRenderingContext2D, view: View) => {
      const plate = plates.plate;
      if (painting && plate) {
        paint.picture(ink, view, plate.canvas, plate.left, plate.top);
        for (const { stroke } of hands.brush.settling) paint.live(ink, view, stroke, plate);
        if (hands.brush.stroke) paint.live(ink, view, hands.brush.stroke, plate);
      } else if (stillPicture.bitmap && hold)
        paint.picture(ink, view, stillPicture.bitmap, hold.still_left, hold.still_top);
      overlays(ink, view, "still");
      if (hidden) return;
      if (painting && plate && pointer?.space === "still") {
        const { brush, kind, offset, donor, apart, way } = useBench.getState();
        const from = fromDonor(kind)
          ? (offset ?? (donor ? { x: donor.x - pointer.at.x, y: donor.y - pointer.at.y } : null))
          : null;
        const busy = hands.brush.stroke !== null;
        if (busy && !offset) paint.ring(ink, paint.placer(view, null)(pointer.at), brush.radius * view.scale);
        else
          paint.brush(
            ink,
            view,
            pointer.at,
            brush.radius,
            from,
            plate,
            busy ? 0 : brush.opacity,
            apart,
            way,
            elsewhere,
          );
      }
      if (pointer?.space === "shot" && map) paint.cross(ink, paint.placer(view, null)(map.inverse(pointer.at)));
    },
    [
      plates.plate,
      painting,
      hands.brush.stroke,
      hands.brush.settling,
      stillPicture.bitmap,
      hold,
      overlays,
      hidden,
      pointer,
      map,
      elsewhere,
    ],
  );

  const inset: Space = main === "shot" ? "still" : "shot";
  const words = {
    shot: `Shot ${frame}`,
    still: seeing
      ? `Still ${frame}, ${SEEN[seeing]}`
      : painting
        ? `Still, plate ${fix?.plate?.frame}`
        : fix
          ? `Still ${frame}`
          : "Still",
  };
  const turns = {
    shot: [hands.brush.turn],
    still: [hands.brush.turn, plates.turn, bench.brush, bench.offset, bench.donor, bench.kind, bench.apart, bench.way],
  };
  const draws = { shot: drawShot, still: drawStill };
  const cursors = {
    shot: tool !== "look" ? "crosshair" : stage === "edge" && fix ? "default" : "grab",
    still: painting ? "none" : stage === "edge" ? "default" : "grab",
  };
  const view = (space: Space) => (
    <PictureView
      key={space}
      space={space}
      box={boxes[space]}
      label={words[space]}
      cursor={cursors[space]}
      hands={hands.hands(space)}
      draw={draws[space]}
      turn={turns[space]}
    />
  );
  const note =
    shotPicture.problem ??
    (compare === "changes" && !fixes.some((entry) => entry.on && !entry.lacks) ? "Nothing is altered yet" : null) ??
    (hands.busy ? "Looking at the loop: trying a plane and a mesh on a few frames" : null) ??
    TOOL_WORDS[tool] ??
    (sight ? "What the tracker sees; black is not read" : null);

  return (
    <div className="relative min-h-0 min-w-0 flex-1 overflow-hidden bg-felt-0">
      <div className="absolute inset-0">{view(main)}</div>
      <Badge words={words[main]} space={main} />
      {note && (
        <div
          role="status"
          className="absolute top-2 left-1/2 max-w-[70%] -translate-x-1/2 rounded-md bg-felt-0/90 px-3 py-1.5 text-center text-ink"
        >
          {note}
        </div>
      )}
      {fix && !hidden && (
        <div className="absolute right-3 bottom-3 h-[34%] w-[35%] min-w-52 overflow-hidden rounded-lg border border-felt-0 bg-felt-0 shadow-2xl outline outline-line">
          {view(inset)}
          <Badge words={words[inset]} space={inset} />
          {inset === "still" && !known && !painting && (
            <p className="absolute inset-0 grid place-items-center p-4 text-center text-soft">
              Not held on this frame yet. It shows here as soon as the tracker has been.
            </p>
          )}
          <button
            type="button"
            aria-label="Swap Shot and Still"
            title="Swap Shot and Still (V)"
            onClick={() => bench.set({ main: inset })}
            className="absolute top-1.5 right-1.5 rounded bg-felt-0/80 p-1 text-soft hover:text-ink"
          >
            <Maximize2 size={13} />
          </button>
        </div>
      )}
      <Values shot={shot} />
      <MessageLine />
    </div>
  );
}

function Badge({ words, space }: { words: string; space: Space }) {
  const view = useBench((state) => state.views[space]);
  const set = useBench((state) => state.view);
  return (
    <div className="absolute top-2 left-2 flex items-center gap-2">
      <span className="pointer-events-none rounded bg-felt-0/85 px-2 py-0.5">{words}</span>
      {view && (
        <button
          type="button"
          onClick={() => set(space, null)}
          title="Fit the picture to the window (F)"
          className="figure rounded bg-felt-0/85 px-1.5 py-0.5 text-soft hover:text-ink"
        >
          {Math.round(view.scale * 100)} %
        </button>
      )}
    </div>
  );
}
