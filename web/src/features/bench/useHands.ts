import { useEffect, useMemo, useRef, useState } from "react";
import { body, client, type Fix, type Problem, type Shot } from "../../api/client";
import { keepFix, useChange } from "../../api/queries";
import { LiveStroke } from "../../canvas/livestroke";
import { toScreen } from "../../canvas/view";
import { type Grip, gripAt, moved, nearest, type PathNode, split } from "../../geometry/path";
import { distance, type Point, sub } from "../../geometry/points";
import { shapeOf } from "../../geometry/shapes";
import { say } from "../../ui/messages";
import { isPointed, redraft, wanted } from "./hold/draft";
import { useHoldHands } from "./hold/useHoldHands";
import { apiNodes, pathNodes } from "./model";
import type { Hands, Press } from "./PictureView";
import { knobOf } from "./paint";
import type { Held } from "./pictures";
import { touched, type usePlate } from "./plate";
import { type Space, useBench } from "./store";

const REACH = 9; // screen px within which a point is grabbed
const SNAP = 3; // degrees about upright and level in which the line of Split stands straight
const LOOP_STEP = 3; // screen px between the points of a loop

interface Given {
  shot: Shot;
  fix: Fix | null;
  held: Held | null;
  plates: ReturnType<typeof usePlate>;
}

/** What the pointer does on the two pictures: one gesture is one change. */
export function useHands({ shot, fix, held, plates }: Given) {
  const map = held?.map ?? null;
  const [loop, setLoop] = useState<{ space: Space; points: Point[] } | null>(null);
  const [nodes, setNodes] = useState<PathNode[] | null>(null);
  const [stroke, setStroke] = useState<LiveStroke | null>(null);
  const [settling, setSettling] = useState<{ stroke: LiveStroke; version: number }[]>([]);
  const [turn, setTurn] = useState(0);
  const [busy, setBusy] = useState(false);
  const grip = useRef<Grip | null>(null);
  const lineGrip = useRef<"move" | "turn" | null>(null);
  const change = useChange(shot.id, fix?.id ?? 0, (problem: Problem) => {
    say(problem.message);
    setSettling([]);
    setNodes(null);
    hold.drop();
  });
  const hold = useHoldHands({ fix, held, change });
  const bench = useBench.getState;
  const settled = plates.plate?.version ?? 0;

  // what was being dragged gives way to what the server made of it
  // biome-ignore lint/correctness/useExhaustiveDependencies: a new version is the signal
  useEffect(() => setNodes(null), [fix?.version]);
  // biome-ignore lint/correctness/useExhaustiveDependencies: the plate's turn is the signal
  useEffect(() => setSettling((list) => list.filter((entry) => entry.version > settled)), [plates.turn]);

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
          ground: { anchor, read: [shapeOf(points)], ignore: [], passing: [] },
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

  function keepNodes(next: PathNode[]) {
    const { growth, softness } = fix!.edge;
    change.mutate(({ params, version }) =>
      client.PATCH("/api/fixes/{fix}/edge", { params, body: { version, nodes: apiNodes(next), growth, softness } }),
    );
  }

  function keepStroke(made: LiveStroke) {
    const { kind, offset } = bench();
    const whole: [number, number] = kind === "clone" && offset ? [Math.round(offset.x), Math.round(offset.y)] : [0, 0];
    setStroke(null);
    setSettling((list) => [...list, { stroke: made, version: Number.POSITIVE_INFINITY }]);
    change.mutate(({ params, version }) => {
      plates.expect(touched(made), version + 1);
      setSettling((list) => list.map((entry) => (entry.stroke === made ? { ...entry, version: version + 1 } : entry)));
      return client.POST("/api/fixes/{fix}/strokes", {
        params,
        body: {
          version,
          stroke: {
            kind,
            points: made.points.map(([x, y, p]) => [Math.round(x * 100) / 100, Math.round(y * 100) / 100, p]),
            radius: made.brush.radius,
            hardness: made.brush.hardness,
            opacity: made.brush.opacity,
            offset: whole,
            on: true,
          },
        },
      });
    });
  }

  function beginStroke(press: Press): boolean {
    const { kind, brush, donor } = bench();
    const plate = plates.plate;
    if (!plate) return false;
    if (press.alt && kind === "clone") {
      bench().set({ donor: press.at, offset: null });
      return true;
    }
    let offset = bench().offset;
    if (kind === "clone") {
      if (!offset && !donor) {
        say("Set where the clone brush takes from first: Alt-click a clean place.");
        return true;
      }
      offset = offset ?? sub(donor!, press.at);
      offset = { x: Math.round(offset.x), y: Math.round(offset.y) };
      bench().set({ offset });
    }
    const made = new LiveStroke(
      plate.canvas,
      kind === "clone" ? offset! : { x: 0, y: 0 },
      { x: plate.left, y: plate.top },
      brush,
      plate.canvas.width,
      plate.canvas.height,
    );
    made.to(press.at, press.pressure);
    setStroke(made);
    return true;
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
        if (tool !== "look" && tool !== "line" && space === "shot") {
          setLoop({ space, points: [press.at] });
          return true;
        }
        if (stage === "edge" && fix) return beginGrip(space, press);
        if (stage === "source" && space === "still" && fix?.plate) return beginStroke(press);
        return false;
      },
      move(press) {
        if (lineGrip.current) dragLine(lineGrip.current, press, shot);
        else if (hold.busy) hold.move(space, press);
        else if (loop) {
          const last = loop.points[loop.points.length - 1]!;
          if (distance(last, press.at) * press.view.scale >= LOOP_STEP)
            setLoop({ ...loop, points: [...loop.points, press.at] });
        } else if (grip.current && nodes) {
          const at = still(space, press.at);
          if (at) setNodes(moved(nodes, grip.current, at, press.alt));
        } else if (stroke) {
          stroke.to(press.at, press.pressure);
          setTurn((now) => now + 1);
        }
      },
      up() {
        if (lineGrip.current) lineGrip.current = null;
        else if (hold.busy) hold.up();
        else if (loop) {
          setLoop(null);
          if (loop.points.length < 6) say("Draw a loop round it: press, go round, let go.");
          else if (bench().tool === "circle") void circled(loop.points);
          else if (bench().tool === "ground") grounded(loop.points);
          else added(bench().tool as "read" | "ignore" | "passing", loop.points);
        } else if (grip.current && nodes) {
          grip.current = null;
          keepNodes(nodes);
        } else if (stroke && stroke.points.length > 0) keepStroke(stroke);
      },
      double(press) {
        if (bench().stage !== "edge" || !fix) return;
        const at = still(space, press.at);
        const now = pathNodes(fix.edge.nodes);
        if (!at || gripAt(now, at, REACH / press.view.scale, null)) return;
        const place = nearest(now, at);
        if (place.far * press.view.scale > REACH) return;
        bench().set({ node: place.index + 1 });
        const next = split(now, place.index, place.t);
        setNodes(next);
        keepNodes(next);
      },
    };
  }

  function beginGrip(space: Space, press: Press): boolean {
    const at = still(space, press.at);
    if (!at || !fix) return false;
    const now = pathNodes(fix.edge.nodes);
    const found = gripAt(now, at, REACH / press.view.scale, bench().node);
    if (!found) return false;
    bench().set({ node: found.index });
    grip.current = found;
    setNodes(now);
    return true;
  }

  function removeNode() {
    const { node, stage } = bench();
    if (stage !== "edge" || node === null || !fix || fix.edge.nodes.length <= 3) return;
    bench().set({ node: null });
    keepNodes(pathNodes(fix.edge.nodes).filter((_, i) => i !== node));
  }

  const edgeNodes = useMemo(() => nodes ?? (fix ? pathNodes(fix.edge.nodes) : []), [nodes, fix]);
  return { hands, hold, loop, edgeNodes, stroke, settling, turn, busy, change, removeNode };
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
