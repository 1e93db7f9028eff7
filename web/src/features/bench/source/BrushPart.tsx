import { Choice, Slider } from "../../../ui/controls";
import type { PanelProps } from "../shared/panel";
import { useBench } from "../store";
import { BrushMore } from "./BrushMore";
import { Percent } from "./Percent";
import { type Band, type BrushKind, fromDonor, type Manner } from "./slice";

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

/** The brushes and how they lay. */
export function BrushPart({ fix, change }: PanelProps) {
  const { brush, kind, manner, offset, donor, apart, set } = useBench();
  const lay = (part: Partial<Manner>) => set({ manner: { ...manner, ...part } });
  const press = (event: React.KeyboardEvent) => {
    const digit = Number.parseInt(event.key, 10);
    if (Number.isNaN(digit) || event.ctrlKey) return;
    set({ brush: { ...brush, opacity: digit === 0 ? 1 : digit / 10 } });
    event.preventDefault();
  };
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
      <BrushMore fix={fix} change={change} />
    </div>
  );
}

function donorWords(offset: { x: number; y: number } | null, donor: unknown): string {
  if (offset)
    return `Takes from ${Math.round(offset.x)}, ${Math.round(offset.y)} px away. Alt-click for another place.`;
  return donor
    ? "Donor set. Now paint over the mark."
    : "Alt-click a clean place close by in the Still view, then paint.";
}
