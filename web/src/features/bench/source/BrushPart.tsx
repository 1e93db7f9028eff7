import { client } from "../../../api/client";
import { Button, Choice, Select, Slider } from "../../../ui/controls";
import { say } from "../../../ui/messages";
import { apiNodes } from "../model";
import { type Band, type BrushKind, type Manner, useBench } from "../store";
import type { PartProps } from "./SourceStage";

export const BRUSHES: Record<BrushKind, [string, string]> = {
  clone: ["Clone", "Lay a clean place over the mark, as it is"],
  heal: ["Heal", "Take the texture of a clean place and keep the light that is here"],
  spots: ["Spots", "Click, click, click: each small spot is healed from the best place near it"],
  paint: ["Paint", "A colour; Alt-click takes it from the plate"],
  lighten: ["Lighten", "Brighter, a little at a time"],
  darken: ["Darken", "Darker, a little at a time"],
  smooth: ["Smooth", "Even out: on tone it takes blotches away, on texture it softens"],
  sharpen: ["Sharpen", "Bring texture up where it has gone soft"],
  restore: ["Restore", "Bring the plate's own picture back"],
};
const BANDS: { value: Band; words: string; tip: string }[] = [
  { value: "all", words: "All", tip: "Tone and texture together" },
  { value: "tone", words: "Tone", tip: "Only light and colour wider than the split" },
  { value: "texture", words: "Texture", tip: "Only detail finer than the split; its tone does not matter" },
];
const PRESSURES = { Size: "size", Opacity: "opacity", Both: "both", Nothing: "none" } as const;
export const fromDonor = (kind: BrushKind) => kind === "clone" || kind === "heal";

/** The brushes and how they lay. */
export function BrushPart({ fix, change }: PartProps) {
  const { brush, kind, manner, way, offset, donor, apart, frame, tool, grainless, set } = useBench();
  const lay = (part: Partial<Manner>) => set({ manner: { ...manner, ...part } });
  const press = (event: React.KeyboardEvent) => {
    const digit = Number.parseInt(event.key, 10);
    if (Number.isNaN(digit) || event.ctrlKey) return;
    set({ brush: { ...brush, opacity: digit === 0 ? 1 : digit / 10 } });
    event.preventDefault();
  };
  const unprotect = () =>
    change.mutate(({ params, version }) =>
      client.PATCH("/api/fixes/{fix}/protect", { params, body: { version, nodes: null } }),
    );
  const protectEdge = () =>
    change.mutate(({ params, version }) =>
      client.PATCH("/api/fixes/{fix}/protect", {
        params,
        body: {
          version,
          nodes: apiNodes(fix.edge.nodes.map((n) => ({ x: n.x, y: n.y, into: pair(n.into), out: pair(n.out) }))),
        },
      }),
    );
  return (
    <div className="flex flex-col gap-2" onKeyDown={press}>
      <div role="radiogroup" aria-label="Brush" className="grid grid-cols-3 gap-1">
        {(Object.keys(BRUSHES) as BrushKind[]).map((one) => (
          <button
            key={one}
            type="button"
            role="radio"
            aria-checked={kind === one}
            title={BRUSHES[one][1]}
            onClick={() => set({ kind: one, stroke: null })}
            className={`h-6 rounded-full px-2 ${kind === one ? "bg-thread font-medium text-felt-0" : "bg-felt-2 text-soft hover:text-ink"}`}
          >
            {BRUSHES[one][0]}
          </button>
        ))}
      </div>
      <p className="text-soft" role="status">
        {fromDonor(kind)
          ? donorWords(offset, donor)
          : kind === "spots"
            ? "Click each spot; Size is the spot's own."
            : `${BRUSHES[kind][1]}.`}
        {fromDonor(kind) && offset && apart && (
          <span className={apart.difference >= 4 ? "text-loud" : apart.difference >= 2 ? "text-noticeable" : ""}>
            {" "}
            Its tone is {apart.difference.toFixed(1)} off
            {apart.difference >= 1 ? `, ${apart.lighter > 0 ? "lighter" : "darker"}` : ""}.
          </span>
        )}
      </p>
      {kind !== "restore" && (
        <>
          <Choice label="Works on" wide value={manner.band} onChange={(band) => lay({ band })} options={BANDS} />
          {(manner.band !== "all" || kind === "smooth" || kind === "sharpen") && (
            <Slider
              label="Split at"
              value={manner.scale}
              min={1}
              max={30}
              step={0.5}
              words={`${manner.scale} px`}
              onChange={(scale) => lay({ scale })}
            />
          )}
        </>
      )}
      <Slider
        label="Size"
        value={brush.radius}
        min={2}
        max={120}
        words={`${Math.round(brush.radius * 2)} px`}
        onChange={(radius) => set({ brush: { ...brush, radius } })}
      />
      {kind !== "spots" && (
        <>
          <Percent label="Hardness" value={brush.hardness} set={(hardness) => set({ brush: { ...brush, hardness } })} />
          <Percent
            label="Opacity"
            value={brush.opacity}
            least={5}
            set={(opacity) => set({ brush: { ...brush, opacity } })}
          />
        </>
      )}
      {(kind === "lighten" || kind === "darken") && (
        <Slider
          label="Amount"
          value={manner.amount}
          min={0.05}
          max={2}
          step={0.05}
          words={`${manner.amount.toFixed(2)} st`}
          onChange={(amount) => lay({ amount })}
        />
      )}
      <details className="text-soft">
        <summary className="cursor-pointer hover:text-ink">More of the brush</summary>
        <div className="flex flex-col gap-2 pt-2">
          <Percent label="Flow" value={manner.flow} least={2} set={(flow) => lay({ flow })} />
          {manner.flow < 1 && (
            <Slider
              label="Spacing"
              value={Math.round(manner.spacing * 100)}
              min={5}
              max={200}
              words={`${Math.round(manner.spacing * 100)} %`}
              onChange={(value) => lay({ spacing: value / 100 })}
            />
          )}
          <Select
            label="Pen drives"
            value={Object.keys(PRESSURES).find((k) => PRESSURES[k as keyof typeof PRESSURES] === manner.pressure)!}
            options={Object.keys(PRESSURES)}
            onChange={(value) => lay({ pressure: PRESSURES[value as keyof typeof PRESSURES] })}
          />
          {fromDonor(kind) && (
            <>
              <Slider
                label="Turn"
                value={way.turn}
                min={-180}
                max={180}
                words={`${Math.round(way.turn)}°`}
                onChange={(turn) => set({ way: { ...way, turn } })}
              />
              <Slider
                label="Scale"
                value={Math.round(way.zoom * 100)}
                min={50}
                max={200}
                words={`${Math.round(way.zoom * 100)} %`}
                onChange={(value) => set({ way: { ...way, zoom: value / 100 } })}
              />
              <label className="flex items-center gap-2">
                <input
                  type="checkbox"
                  className="accent-[#b9a8f2]"
                  checked={way.flip}
                  onChange={(event) => set({ way: { ...way, flip: event.target.checked } })}
                />
                Mirror the donor
              </label>
              <div className="flex flex-wrap gap-1">
                <Button
                  aria-pressed={way.source === "painted"}
                  onClick={() => set({ way: { ...way, source: "painted" } })}
                >
                  As painted
                </Button>
                <Button aria-pressed={way.source === "plate"} onClick={() => set({ way: { ...way, source: "plate" } })}>
                  As shot
                </Button>
                <Button
                  aria-pressed={typeof way.source === "number"}
                  tip="Take from the frame you are on, held still"
                  onClick={() => set({ way: { ...way, source: frame } })}
                >
                  Frame {typeof way.source === "number" ? way.source : frame}
                </Button>
              </div>
              <p className="text-[11.5px] text-faint">
                Takes from{" "}
                {way.source === "painted"
                  ? "what is painted so far"
                  : way.source === "plate"
                    ? "the plate as shot"
                    : `frame ${way.source}`}
                .
              </p>
            </>
          )}
          <label className="flex items-center gap-2">
            <input
              type="checkbox"
              className="accent-[#b9a8f2]"
              checked={grainless}
              onChange={(event) => {
                if (event.target.checked && fix.hold?.state !== "done")
                  say("The grain is known once the hold is done.");
                set({ grainless: event.target.checked });
              }}
            />
            Show the plate without grain
          </label>
          <div className="flex flex-wrap gap-1">
            <Button
              aria-pressed={tool === "protect"}
              tip="Draw a loop in the Still view that no new stroke may leave"
              onClick={() => set({ tool: tool === "protect" ? "look" : "protect", main: "still" })}
            >
              Protect with a loop
            </Button>
            {fix.protect ? (
              <Button onClick={unprotect}>No protection</Button>
            ) : (
              <Button onClick={protectEdge}>Keep in the edge</Button>
            )}
          </div>
        </div>
      </details>
    </div>
  );
}

const pair = (p: number[] | undefined) => ({ x: p?.[0] ?? 0, y: p?.[1] ?? 0 });

function donorWords(offset: { x: number; y: number } | null, donor: unknown): string {
  if (offset)
    return `Takes from ${Math.round(offset.x)}, ${Math.round(offset.y)} px away. Alt-click for another place.`;
  return donor
    ? "Donor set. Now paint over the mark."
    : "Alt-click a clean place close by in the Still view, then paint.";
}

function Percent({
  label,
  value,
  least = 0,
  set,
}: {
  label: string;
  value: number;
  least?: number;
  set: (value: number) => void;
}) {
  return (
    <Slider
      label={label}
      value={Math.round(value * 100)}
      min={least}
      max={100}
      words={`${Math.round(value * 100)} %`}
      onChange={(next) => set(next / 100)}
    />
  );
}
