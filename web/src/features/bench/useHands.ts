import { useRef, useState } from "react";
import { body, client, type Fix, type Problem, type Shot } from "../../api/client";
import { keepFix, useChange } from "../../api/queries";
import { toScreen } from "../../canvas/view";
import { distance, type Point, sub } from "../../geometry/points";
import { shapeOf } from "../../geometry/shapes";
import { say } from "../../ui/messages";
import { isPointed, redraft, wanted } from "./hold/draft";
import { useHoldHands } from "./hold/useHoldHands";
import type { Hands, Press } from "./PictureView";
import { knobOf } from "./paint";
import type { Held } from "./pictures";
import type { usePlate } from "./plate";
import { useArtHands } from "./source/useArtHands";
import { useBrushHands } from "./source/useBrushHands";
import { type Space, type Tool, useBench } from "./store";
import { useEdgeHands } from "./useEdgeHands";

const REACH = 9; // screen px within which a point is grabbed
const SNAP = 3; // degrees about upright and level in which the line of Split stands straight
const LOOP_STEP = 3; // screen px between the points of a loop
const DRAWN: Tool[] = ["add", "take", "draw", "front", "behind", "brushFront", "protect"];
const IN_STILL: Tool[] = ["add", "take", "draw", "protect"]; // these are drawn in either picture

interface Given {
  shot: Shot;
  fix: Fix | null;
  held: Held | null;
  plates: ReturnType<typeof usePlate>;
  other: { bitmap: ImageBitmap; left: number; top: number } | null;
}

/** What the pointer does on the two pictures: one gesture is one change. */
export function useHands({ shot, fix, held, plates, other }: Given) {
  const map = held?.map ?? null;
  const [loop, setLoop] = useState<{ space: Space; points: Point[]; alt: boolean } | null>(null);
  const [busy, setBusy] = useState(false);
  const lineGrip = useRef<"move" | "turn" | null>(null);
  const change = useChange(shot.id, fix?.id ?? 0, (problem: Problem) => {
    say(problem.message);
    brush.drop();
    edge.drop();
    hold.drop();
  });
  const hold = useHoldHands({ fix, held, change });
  const edge = useEdgeHands({ fix, map, change });
  const brush = useBrushHands({ fix, change, plates, other });
  const art = useArtHands(fix, change);
  const bench = useBench.getState;

  const still = (space: Space, at: Point): Point | null => (space === "still" ? at : map ? map.inverse(at) : null);

  async function circled(points: Point[]) {
    setBusy(true);
    try {
      const made = await body<Fix>(
        client.POST("/api/shots/{shot}/circle", {
          params: { path: { shot: shot.id } },
          body: { frame: bench().frame, loop: points.map((p) => [p.x, p.y]) },
        }),
      );
      keepFix(made);
      bench().set({ fix: made.id, stage: "hold", tool: "look" });
    } catch (problem) {
      say((problem as Error).message);
    }
    setBusy(false);
  }

  function grounded(points: Point[]) {
    if (!fix?.hold) return;
    const { method, frame: anchor } = { ...wanted(fix, bench().draft)!, ...bench() };
    const kind = isPointed(method.kind) ? "mesh" : method.kind;
    bench().set({ tool: "look", draft: null });
    change.mutate(({ params, version }) =>
      client.POST("/api/fixes/{fix}/track", {
        params,
        body: {
          version,
          method: { ...method, kind },
          way: "both",
          ground: { anchor, read: [shapeOf(points)], ignore: [], passing: [], stands: [] },
        },
      }),
    );
  }

  /** A loop that adds to the ground: read and ignored shapes lie on the surface, what passes lies in the frame. */
  function added(tool: "read" | "ignore" | "passing", drawn: Point[]) {
    if (!fix?.hold) return;
    const { frame, passing: chosen } = bench();
    bench().set({ tool: "look" });
    if (tool === "passing") {
      redraft(fix, ({ ground }) => {
        const key = { frame, polygon: shapeOf(drawn) };
        if (chosen === null || !ground.passing[chosen])
          return { ground: { ...ground, passing: [...ground.passing, { keys: [key] }] } };
        const passing = ground.passing.map(({ keys }, k) =>
          k === chosen
            ? { keys: [...keys.filter((one) => one.frame !== frame), key].sort((a, b) => a.frame - b.frame) }
            : { keys },
        );
        return { ground: { ...ground, passing } };
      });
      if (chosen === null) bench().set({ passing: wanted(fix, bench().draft)!.ground.passing.length - 1 });
      return;
    }
    if (!map) {
      say("The surface is not held on this frame; draw it on one where it is.");
      return;
    }
    const shape = shapeOf(drawn.map((p) => map.inverse(p)));
    redraft(fix, ({ ground }) => ({ ground: { ...ground, [tool]: [...ground[tool], shape] } }));
  }

  /** A clean, sharp place for the plate's texture. */
  function repairFrom(at: Point) {
    if (!fix) return;
    const nodes = edge.nodes;
    const middle = {
      x: nodes.reduce((sum, p) => sum + p.x, 0) / Math.max(1, nodes.length),
      y: nodes.reduce((sum, p) => sum + p.y, 0) / Math.max(1, nodes.length),
    };
    const { x, y } = sub(at, middle);
    bench().set({ tool: "look" });
    change.mutate(({ params, version }) =>
      client.PATCH("/api/fixes/{fix}/match", {
        params,
        body: {
          version,
          match: {
            ...fix.match,
            repair: { offset: [Math.round(x), Math.round(y)], scale: fix.match.texture_scale ?? 6, amount: 1 },
          },
        },
      }),
    );
  }

  function ended() {
    const { tool } = bench();
    const drawn = loop!;
    setLoop(null);
    if (DRAWN.includes(tool)) {
      if (drawn.points.length < (tool === "brushFront" || tool === "draw" ? 2 : 6))
        say("Draw a little more of it: press, go along, let go.");
      else edge.drawn(tool, drawn.points, drawn.space, drawn.alt);
    } else if (drawn.points.length < 6) say("Draw a loop round it: press, go round, let go.");
    else if (tool === "circle") void circled(drawn.points);
    else if (tool === "ground") grounded(drawn.points);
    else added(tool as "read" | "ignore" | "passing", drawn.points);
  }

  function hands(space: Space): Hands {
    return {
      down(press) {
        const { tool, stage, compare } = bench();
        if (compare === "split" && space === "shot" && tool === "look") {
          lineGrip.current = lineAt(press, shot);
          if (lineGrip.current) return true;
        }
        if (hold.down(space, press)) return true;
        if (tool === "repair" && space === "still") {
          repairFrom(press.at);
          return true;
        }
        if (tool === "moveStroke") return space === "still" && brush.begin(press);
        if (tool !== "look" && tool !== "line" && tool !== "repair" && (space === "shot" || IN_STILL.includes(tool))) {
          setLoop({ space, points: [press.at], alt: press.alt });
          return true;
        }
        if (stage === "edge" && fix) return edge.begin(space, press);
        if (stage === "source" && fix) {
          const at = still(space, press.at);
          if (at && art.begin(at, press.view.scale)) return true;
          if (space === "still" && fix.plate) return brush.begin(press);
        }
        return false;
      },
      move(press) {
        if (lineGrip.current) dragLine(lineGrip.current, press, shot);
        else if (hold.busy) hold.move(space, press);
        else if (loop) {
          const last = loop.points[loop.points.length - 1]!;
          if (distance(last, press.at) * press.view.scale >= LOOP_STEP)
            setLoop({ ...loop, points: [...loop.points, press.at] });
        } else if (edge.dragging()) edge.drag(space, press);
        else if (art.dragging()) {
          const at = still(space, press.at);
          if (at) art.drag(at);
        } else brush.drag(press);
      },
      up() {
        if (lineGrip.current) lineGrip.current = null;
        else if (hold.busy) hold.up();
        else if (loop) ended();
        else if (edge.dragging()) edge.end();
        else if (art.dragging()) art.end();
        else brush.end();
      },
      double(press) {
        if (bench().stage === "edge" && fix) edge.double(space, press);
      },
    };
  }

  return {
    hands,
    hold,
    loop,
    edge,
    brush,
    art,
    busy,
    change,
    removeNode: () => bench().stage === "edge" && edge.remove(),
  };
}

const lineMiddle = (shot: Shot): Point =>
  bench_().line.at ?? { x: (shot.clip.width - 1) / 2, y: (shot.clip.height - 1) / 2 };
const bench_ = useBench.getState;

/** What of Split's line is under the pointer. */
function lineAt(press: Press, shot: Shot): "move" | "turn" | null {
  const { angle } = bench_().line;
  const middle = toScreen(press.view, lineMiddle(shot));
  if (distance(knobOf(middle, angle), press.screen) < REACH) return "turn";
  const away = sub(press.screen, middle);
  const way = (angle * Math.PI) / 180;
  return Math.abs(away.x * Math.cos(way) + away.y * Math.sin(way)) < REACH ? "move" : null;
}

function dragLine(part: "move" | "turn", press: Press, shot: Shot) {
  const { line, set } = bench_();
  if (part === "move") {
    set({ line: { ...line, at: press.at } });
    return;
  }
  const away = sub(press.screen, toScreen(press.view, lineMiddle(shot)));
  const angle = (Math.atan2(away.x, -away.y) * 180) / Math.PI;
  const straight = Math.round(angle / 90) * 90;
  set({ line: { at: lineMiddle(shot), angle: Math.abs(angle - straight) < SNAP ? straight : angle } });
}
