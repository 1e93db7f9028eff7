import { useEffect, useRef, useState } from "react";
import { client, type Fix } from "../../../api/client";
import { fixNow } from "../../../api/queries";
import { type Laid, LiveStroke } from "../../../canvas/livestroke";
import { distance, type Point, sub } from "../../../geometry/points";
import { say } from "../../../ui/messages";
import type { Change } from "../shared/panel";
import { useBench } from "../store";
import type { Press } from "../viewer/PictureView";
import { type PlateCanvas, touched, type usePlate } from "./plate";
import { fromDonor } from "./slice";

interface Given {
  fix: Fix | null;
  change: Change;
  plates: ReturnType<typeof usePlate>;
  /** The picture of another frame on the still surface, when a donor lies on one. */
  other: { bitmap: ImageBitmap; left: number; top: number } | null;
}

const round = (value: number) => Math.round(value * 100) / 100;
const ASK_APART = 180; // ms of rest before a donor's tone is asked for
const TINTS: Partial<Record<string, string>> = {
  lighten: "rgba(255,255,255,.25)",
  darken: "rgba(0,0,0,.3)",
  smooth: "rgba(185,168,242,.25)",
  sharpen: "rgba(185,168,242,.25)",
};

/** Brushes on the plate: what a press, a drag and a click do. */
export function useBrushHands({ fix, change, plates, other }: Given) {
  const [stroke, setStroke] = useState<LiveStroke | null>(null);
  const [settling, setSettling] = useState<{ stroke: LiveStroke; version: number }[]>([]);
  const [turn, setTurn] = useState(0);
  const [move, setMove] = useState<{ from: Point; to: Point } | null>(null);
  const lastEnd = useRef<Point | null>(null);
  const bench = useBench.getState;
  const settled = plates.plate?.version ?? 0;
  // biome-ignore lint/correctness/useExhaustiveDependencies: the plate's turn is the signal
  useEffect(() => setSettling((list) => list.filter((entry) => entry.version > settled)), [plates.turn]);

  function live(plate: PlateCanvas, offset: Point): Laid | string {
    const { kind, way, manner } = bench();
    if (kind === "paint") return cssOf(manner.colour);
    if (!fromDonor(kind)) return TINTS[kind] ?? "rgba(0,0,0,0)";
    const from = typeof way.source === "number" && other ? other : null;
    const shift = from ? { x: offset.x - from.left + plate.left, y: offset.y - from.top + plate.top } : offset;
    return { picture: from?.bitmap ?? plate.canvas, offset: shift, turn: way.turn, zoom: way.zoom, flip: way.flip };
  }

  function begin(press: Press): boolean {
    const { kind, donor, tool } = bench();
    const plate = plates.plate;
    if (!plate || !fix) return false;
    if (tool === "moveStroke") {
      setMove({ from: press.at, to: press.at });
      return true;
    }
    if (press.alt) return sample(press.at);
    if (kind === "spots") {
      spot(press.at);
      return true;
    }
    let offset = bench().offset;
    if (fromDonor(kind)) {
      if (!offset && !donor) {
        say("Set where the brush takes from first: Alt-click a clean place.");
        return true;
      }
      offset = offset ?? sub(donor!, press.at);
      offset = { x: Math.round(offset.x), y: Math.round(offset.y) };
      bench().set({ offset });
    }
    const made = new LiveStroke(
      live(plate, offset ?? { x: 0, y: 0 }),
      { x: plate.left, y: plate.top },
      bench().brush,
      plate.canvas.width,
      plate.canvas.height,
    );
    if (press.shift && lastEnd.current) made.to(lastEnd.current, press.pressure); // a straight line between clicks
    made.to(press.at, press.pressure);
    setStroke(made);
    return true;
  }

  /** Alt-click: a donor for the brush or the chosen stroke, or a colour. */
  function sample(at: Point): boolean {
    const { kind, stroke: chosen } = bench();
    const row = fix?.strokes.find((entry) => entry.id === chosen);
    if (row && fromDonor(row.kind as "clone")) {
      const from = { x: row.at[0]! + row.moved[0]!, y: row.at[1]! + row.moved[1]! };
      edit(row.id, { donor: { offset: [Math.round(at.x - from.x), Math.round(at.y - from.y)] } });
    } else if (fromDonor(kind)) bench().set({ donor: at, offset: null, apart: null });
    else if (kind === "paint" && fix)
      void client
        .GET("/api/fixes/{fix}/colour", { params: { path: { fix: fix.id }, query: { x: at.x, y: at.y } } })
        .then(({ data }) => {
          if (data) bench().set({ manner: { ...bench().manner, colour: data as unknown as [number, number, number] } });
        });
    return true;
  }

  function edit(id: number, part: { moved?: [number, number]; donor?: { offset: [number, number] } }) {
    const index = fix!.strokes.findIndex((entry) => entry.id === id);
    change.mutate(({ params, version }) =>
      client
        .PATCH("/api/fixes/{fix}/strokes/{stroke}", {
          params: { path: { ...params.path, stroke: fixNow(fix!.shot, fix!.id)?.strokes[index]?.id ?? id } },
          body: { version, ...part },
        })
        .then((made) => {
          bench().set({ stroke: (made.data as Fix | undefined)?.strokes[index]?.id ?? null });
          return made;
        }),
    );
  }

  function spot(at: Point) {
    const { brush, manner } = bench();
    change.mutate(({ params, version }) => {
      plates.expect(touched({ points: [[at.x, at.y, 1]], brush }), version + 1);
      return client.POST("/api/fixes/{fix}/spots", {
        params,
        body: {
          version,
          spots: [[round(at.x), round(at.y)]],
          radius: brush.radius,
          band: manner.band,
          scale: manner.scale,
        },
      });
    });
  }

  function keep(made: LiveStroke) {
    const { kind, offset, manner, way, brush } = bench();
    setStroke(null);
    const last = made.points[made.points.length - 1]!;
    lastEnd.current = { x: last[0], y: last[1] };
    setSettling((list) => [...list, { stroke: made, version: Number.POSITIVE_INFINITY }]);
    // a change of one band reaches a little beyond the brush
    const reach = { points: made.points, brush: { radius: brush.radius + (manner.band === "all" ? 0 : 2) } };
    change.mutate(({ params, version }) => {
      plates.expect(touched(reach), version + 1);
      setSettling((list) => list.map((entry) => (entry.stroke === made ? { ...entry, version: version + 1 } : entry)));
      return client.POST("/api/fixes/{fix}/strokes", {
        params,
        body: {
          version,
          stroke: {
            ...manner,
            kind: kind as "clone",
            points: made.points.map(([x, y, p]) => [round(x), round(y), p]),
            radius: made.brush.radius,
            hardness: made.brush.hardness,
            opacity: made.brush.opacity,
            donor: fromDonor(kind) && offset ? { ...way, offset: [offset.x, offset.y] } : { ...way, offset: [0, 0] },
            moved: [0, 0],
            on: true,
          },
        },
      });
    });
  }

  return {
    stroke,
    settling,
    turn,
    move,
    busy: stroke !== null || move !== null,
    begin,
    drag(press: Press) {
      if (move) setMove({ ...move, to: press.at });
      else if (stroke) {
        stroke.to(press.at, press.pressure);
        setTurn((now) => now + 1);
      }
    },
    end() {
      if (move) {
        const row = fix?.strokes.find((entry) => entry.id === bench().stroke);
        setMove(null);
        if (row && distance(move.from, move.to) > 0.2)
          edit(row.id, {
            moved: [round(row.moved[0]! + move.to.x - move.from.x), round(row.moved[1]! + move.to.y - move.from.y)],
          });
      } else if (stroke && stroke.points.length > 0) keep(stroke);
    },
    drop: () => setSettling([]),
  };
}

/** Linear light as a colour for the screen. */
export function cssOf(linear: [number, number, number]): string {
  const shown = linear.map((x) => {
    const c = Math.min(1, Math.max(0, x));
    return Math.round(255 * (c <= 0.0031308 ? 12.92 * c : 1.055 * c ** (1 / 2.4) - 0.055));
  });
  return `rgb(${shown.join(",")})`;
}

/** How far the donor's tone is from the place under the pointer, asked for when it rests. */
export function useApart(fix: Fix | null) {
  const { pointer, offset, donor, kind, brush, stage, set } = useBench();
  const at = pointer?.space === "still" ? pointer.at : null;
  const from = offset ?? (donor && at ? sub(donor, at) : null);
  const [x, y, dx, dy] = [at?.x, at?.y, from?.x, from?.y];
  useEffect(() => {
    if (!fix?.plate || stage !== "source" || !fromDonor(kind) || x === undefined || y === undefined) return;
    if (dx === undefined || dy === undefined) return;
    const later = setTimeout(() => {
      client
        .GET("/api/fixes/{fix}/donor", {
          params: { path: { fix: fix.id }, query: { x, y, dx, dy, radius: brush.radius } },
        })
        .then(({ data }) => set({ apart: data ?? null }))
        .catch(() => set({ apart: null })); // the ring simply has no figure then
    }, ASK_APART);
    return () => clearTimeout(later);
  }, [fix, stage, kind, x, y, dx, dy, brush.radius, set]);
}
