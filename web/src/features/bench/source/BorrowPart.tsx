import type { Fix } from "../../../api/client";
import { useFixes } from "../../../api/queries";
import { Button, Check, Select, Slider } from "../../../ui/controls";
import { useBench } from "../store";
import type { FillProps } from "./FillPart";
import type { Fill } from "./ways";

/** Where the donor lies on a frame: evenly between keys. */
export function donorAt(fill: Fill, frame: number) {
  const keys = fill.keys ?? [];
  if (!keys.length) return { offset: fill.offset, turn: fill.turn, zoom: fill.zoom };
  const after = keys.find((key) => key.frame > frame);
  const before = [...keys].reverse().find((key) => key.frame <= frame);
  if (!after || !before) return (before ?? after)!;
  const t = (frame - before.frame) / (after.frame - before.frame);
  const mix = (a: number, b: number) => a + t * (b - a);
  return {
    offset: [mix(before.offset[0], after.offset[0]), mix(before.offset[1], after.offset[1])] as [number, number],
    turn: mix(before.turn, after.turn),
    zoom: before.zoom * (after.zoom / before.zoom) ** t,
  };
}

/** The fill with another place for the donor: on this frame alone once it is keyed. */
export function withDonor(fill: Fill, frame: number, part: Partial<ReturnType<typeof donorAt>>): Partial<Fill> {
  const place = { ...donorAt(fill, frame), ...part };
  const keys = fill.keys ?? [];
  if (!keys.length) return place;
  const others = keys.filter((key) => key.frame !== frame);
  return { keys: [...others, { frame, ...place }].sort((a, b) => a.frame - b.frame) };
}

/** Borrow: turn, size, how it is set to fit, and what carries it. */
export function BorrowPart({ shot, fix, now, show, keep }: FillProps) {
  const frame = useBench((state) => state.frame);
  const fixes = useFixes(shot.id).data ?? [];
  const at = donorAt(now, frame);
  const keyed = (now.keys ?? []).some((key) => key.frame === frame);
  const place = (part: Partial<typeof at>) => withDonor(now, frame, part);
  const others = fixes.filter((one: Fix) => one.id !== fix.id && one.hold && one.hold.kind !== "frame");
  return (
    <>
      <Slider
        label="Turn"
        value={at.turn}
        min={-180}
        max={180}
        words={`${Math.round(at.turn)}°`}
        onChange={(turn) => show(place({ turn }))}
        onDone={(turn) => keep(place({ turn }))}
      />
      <Slider
        label="Size"
        value={Math.round(at.zoom * 100)}
        min={25}
        max={300}
        words={`${Math.round(at.zoom * 100)} %`}
        onChange={(value) => show(place({ zoom: value / 100 }))}
        onDone={(value) => keep(place({ zoom: value / 100 }))}
      />
      <Slider
        label="Brightness"
        value={now.exposure}
        min={-2}
        max={2}
        step={0.05}
        words={`${now.exposure > 0 ? "+" : ""}${now.exposure.toFixed(2)}`}
        onChange={(exposure) => show({ exposure })}
        onDone={(exposure) => keep({ exposure })}
      />
      <Slider
        label="Colour"
        value={Math.round(now.saturation * 100)}
        min={0}
        max={200}
        words={`${Math.round(now.saturation * 100)} %`}
        onChange={(value) => show({ saturation: value / 100 })}
        onDone={(value) => keep({ saturation: value / 100 })}
      />
      <Check words="Fit its tone to the rim" on={now.fit} set={(fit) => keep({ fit })} />
      <Check words="Mirrored" on={now.flip} set={(flip) => keep({ flip })} />
      <Check
        words="From every frame anew"
        on={now.live || (now.keys ?? []).length > 0 || fix.donor !== null}
        disabled={(now.keys ?? []).length > 0 || fix.donor !== null}
        set={(live) => keep({ live })}
      />
      <div className="flex items-center gap-1.5">
        <Button
          aria-pressed={keyed}
          tip="Keep the place on this frame; it moves evenly to the next key"
          onClick={() =>
            keep(
              keyed
                ? { keys: (now.keys ?? []).filter((key) => key.frame !== frame) }
                : { keys: [...(now.keys ?? []), { frame, ...at }].sort((a, b) => a.frame - b.frame) },
            )
          }
        >
          {keyed ? "Take this key away" : "Key it here"}
        </Button>
        <span className="text-soft">
          {(now.keys ?? []).length ? `${(now.keys ?? []).length} keys` : "does not drift"}
        </span>
      </div>
      {others.length > 0 && (
        <Select
          label="Carried by"
          value={fix.donor === null ? "" : String(fix.donor)}
          options={[
            { value: "", words: "This surface" },
            ...others.map((one: Fix) => ({ value: String(one.id), words: `Hold of ${one.name}` })),
          ]}
          onChange={(value) => keep({}, value === "" ? null : Number(value))}
        />
      )}
    </>
  );
}
