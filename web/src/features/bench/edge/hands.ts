import { useEffect, useMemo, useRef, useState } from "react";
import { client, type Fix, type Outline } from "../../../api/client";
import type { HoldMap } from "../../../geometry/holdmap";
import { type Grip, gripAt, moved, nearest, type PathNode, split } from "../../../geometry/path";
import { distance, type Point } from "../../../geometry/points";
import { ringOf, simplified } from "../../../geometry/shapes";
import { say } from "../../../ui/messages";
import { cornerNodes, outlineNodes, withNodes } from "../shared/nodes";
import type { Change } from "../shared/panel";
import { useBench } from "../store";
import type { Press } from "../viewer/PictureView";
import type { Space } from "../viewer/slice";
import { withLoop } from "./front";
import type { EdgeTool } from "./slice";

const REACH = 9; // screen px within which a point is grabbed
const LINE_WIDTH = 12; // px of a new open line
const LINE_STEP = 6; // px between the points of a drawn line

interface Given {
  fix: Fix | null;
  map: HoldMap | null;
  change: Change;
}

const plain = { keys: [], takes: false, width: null, span: null };

/** The edge's points, and what is drawn for edge, front and protection. */
export function useEdgeHands({ fix, map, change }: Given) {
  const [nodes, setNodes] = useState<PathNode[] | null>(null);
  const grip = useRef<{ part: Grip; soft: Point | null } | null>(null);
  const { outline, frame } = useBench();
  const bench = useBench.getState;
  // biome-ignore lint/correctness/useExhaustiveDependencies: a new version is the signal
  useEffect(() => setNodes(null), [fix?.version, outline, frame]);

  /** Where an edge point lies: on the surface, or in the frame for a mark that stands still there. */
  const place = (space: Space, at: Point): Point | null => {
    if (fix?.stands) return space === "shot" ? at : map ? map.forward(at) : null;
    return space === "still" ? at : map ? map.inverse(at) : null;
  };
  const chosen = fix?.edge.outlines[outline];
  const now = useMemo(() => nodes ?? outlineNodes(chosen, frame), [nodes, chosen, frame]);

  function keepOutlines(outlines: Outline[]) {
    const { growth, softness, inside } = fix!.edge;
    change.mutate(({ params, version }) =>
      client.PATCH("/api/fixes/{fix}/edge", { params, body: { version, outlines, growth, softness, inside } }),
    );
  }

  function keep(next: PathNode[]) {
    const list = fix!.edge.outlines;
    const { keying } = bench();
    const sameCount = next.length === outlineNodes(chosen, frame).length;
    if (!sameCount && chosen && (chosen.keys?.length ?? 0) > 0) {
      say("Points are added and taken away on an outline without keys; take its keys away first.");
      setNodes(null);
      return;
    }
    const made = withNodes(chosen!, next, bench().frame, keying && sameCount, fix!.hold?.anchor ?? 0);
    keepOutlines(list.map((one, k) => (k === outline ? made : one)));
  }

  function drawn(tool: EdgeTool, points: Point[], space: Space, alt: boolean) {
    if (!fix) return;
    bench().set({ tool: "look" });
    if (tool === "front" || tool === "behind" || tool === "brushFront") {
      front(tool, points, alt);
      return;
    }
    const there = points.map((p) => place(space, p));
    if (there.some((p) => p === null)) {
      say("The surface is not held on this frame; draw it on one where it is.");
      return;
    }
    const line = tool === "draw";
    const shape = line ? simplified(there as Point[], LINE_STEP) : ringOf(there as Point[]);
    const made = { ...plain, nodes: cornerNodes(shape), takes: tool === "take", width: line ? LINE_WIDTH : null };
    bench().set({ outline: fix.edge.outlines.length, node: null });
    keepOutlines([...fix.edge.outlines, made]);
  }

  /** A shape in frame px that says what is in front. */
  function front(tool: EdgeTool, points: Point[], alt: boolean) {
    const { frame, brush } = bench();
    const shapes = fix!.front.shapes ?? [];
    const takes = tool === "behind" || (tool === "brushFront" && alt);
    let next: Outline[];
    if (tool === "brushFront") {
      const nodes = cornerNodes(simplified(points, 4));
      next = [...shapes, { ...plain, nodes, takes, width: brush.radius * 2, span: [frame, frame] }];
    } else {
      const made = withLoop(shapes, bench().front, frame, cornerNodes(ringOf(points)), takes);
      bench().set({ front: made.chosen });
      next = made.shapes;
    }
    change.mutate(({ params, version }) =>
      client.PATCH("/api/fixes/{fix}/front", {
        params,
        body: { version, front: { auto: fix!.front.auto ?? true, shapes: next } },
      }),
    );
  }

  return {
    nodes: now,
    dragging: () => grip.current !== null,
    begin(space: Space, press: Press): boolean {
      const at = place(space, press.at);
      if (!at || !fix) return false;
      const found = gripAt(now, at, REACH / press.view.scale, bench().node);
      if (!found) return false;
      bench().set({ node: found.index });
      grip.current = { part: found, soft: press.shift ? at : null };
      setNodes(now);
      return true;
    },
    drag(space: Space, press: Press) {
      const at = place(space, press.at);
      const held = grip.current;
      if (!at || !held || !nodes) return;
      if (held.soft) {
        const far = Math.min(120, distance(nodes[held.part.index]!, at));
        setNodes(nodes.map((node, i) => (i === held.part.index ? { ...node, soft: far } : node)));
      } else setNodes(moved(nodes, held.part, at, press.alt));
    },
    end() {
      grip.current = null;
      if (nodes) keep(nodes);
    },
    double(space: Space, press: Press) {
      const at = place(space, press.at);
      if (!at || gripAt(now, at, REACH / press.view.scale, null)) return;
      const found = nearest(now, at);
      if (found.far * press.view.scale > REACH) return;
      bench().set({ node: found.index + 1 });
      keep(split(now, found.index, found.t));
    },
    remove() {
      const { node } = bench();
      if (node === null || !fix || now.length <= 3) return;
      bench().set({ node: null });
      keep(now.filter((_, i) => i !== node));
    },
    drawn,
    drop: () => setNodes(null),
  };
}
