import { useEffect, useRef, useState } from "react";
import { client, type Fix } from "../../../api/client";
import { add, distance, type Point, sub } from "../../../geometry/points";
import { inside } from "../../../geometry/shapes";
import type { Change } from "../shared/panel";

const REACH = 10; // screen px

/** The corners of artwork on the surface: drag one to shape it, drag inside to move it. */
export function useArtHands(fix: Fix | null, change: Change) {
  const [corners, setCorners] = useState<Point[] | null>(null);
  const grip = useRef<{ corner: number | null; from: Point } | null>(null);
  // biome-ignore lint/correctness/useExhaustiveDependencies: a new version is the signal
  useEffect(() => setCorners(null), [fix?.version]);
  const art = fix?.source === "insert" ? fix.art : null;
  const now = corners ?? art?.corners.map(([x, y]) => ({ x: x!, y: y! })) ?? null;
  return {
    corners: now,
    begin(at: Point, scale: number): boolean {
      if (!now) return false;
      const corner = now.findIndex((p) => distance(p, at) * scale <= REACH);
      if (corner < 0 && !inside(now, at)) return false;
      grip.current = { corner: corner < 0 ? null : corner, from: at };
      setCorners(now);
      return true;
    },
    dragging: () => grip.current !== null,
    drag(at: Point) {
      const held = grip.current;
      if (!held || !corners) return;
      const by = sub(at, held.from);
      held.from = at;
      setCorners(corners.map((p, k) => (held.corner === null || held.corner === k ? add(p, by) : p)));
    },
    end() {
      grip.current = null;
      if (!corners || !art) return;
      const rounded = corners.map((p): [number, number] => [Math.round(p.x * 100) / 100, Math.round(p.y * 100) / 100]);
      change.mutate(({ params, version }) =>
        client.PATCH("/api/fixes/{fix}/art", {
          params,
          body: { version, corners: rounded, mode: art.mode as "normal", opacity: art.opacity },
        }),
      );
    },
  };
}
