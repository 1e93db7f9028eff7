import { useState } from "react";
import { Button, Choice, Slider } from "../../../ui/controls";
import { running } from "../shared/levels";
import { useBench } from "../store";
import type { PartProps } from "./part";
import type { Grab } from "./slice";

const HINTS: Record<Grab, string> = {
  whole: "Drag the surface on the Shot to where it should be.",
  corner: "Drag a corner to where it should be; the other three stay.",
  point: "Drag any place of the surface; what is within reach comes along.",
};

/** Putting right what slips: keys, and what is done to a range. */
export function CorrectPart(props: PartProps) {
  const { hold, changes } = props;
  const { frame, grab, reach, set } = useBench();
  const plane = hold.kind === "planar";
  const options: { value: Grab; words: string; tip: string; disabled?: boolean }[] = [
    { value: "whole", words: "Whole", tip: "Move all of it" },
    { value: "corner", words: "Corner", tip: "A plane: drag one of its corners", disabled: !plane },
    { value: "point", words: "Point", tip: "A mesh: pull one place", disabled: !hold.grid },
  ];
  const here = hold.keys.some((key) => key.frame === frame);
  return (
    <>
      <Choice
        label="What to drag"
        wide
        value={grab}
        onChange={(next) => set({ grab: next, main: "shot" })}
        options={options}
      />
      <p className="text-soft" role="status">
        {running(hold)
          ? `Redoing: ${hold.done} of ${hold.wanted}`
          : frame === hold.anchor
            ? "This is the anchor: the surface is held in its pose. Step to a frame where it slips."
            : `${HINTS[grab]} It becomes a key; the frames up to the next keys are measured anew.`}
      </p>
      {grab === "point" && (
        <Slider
          label="Reach"
          value={reach}
          min={16}
          max={300}
          words={`${Math.round(reach)} px`}
          onChange={(next) => set({ reach: next })}
        />
      )}
      {hold.keys.length > 0 && (
        <div className="flex flex-wrap items-center gap-1">
          <span className="text-soft">Keys</span>
          {hold.keys.map((key) => (
            <button
              key={key.frame}
              type="button"
              aria-label={`Go to key ${key.frame}`}
              aria-current={key.frame === frame}
              className={`figure rounded px-1.5 py-0.5 ${key.frame === frame ? "bg-felt-3 text-ink" : "text-thread hover:bg-felt-2"}`}
              onClick={() => set({ frame: key.frame, playing: false })}
            >
              {key.frame}
            </button>
          ))}
          {here && (
            <Button className="ml-auto" onClick={() => changes.deleteKey(frame)}>
              Delete key
            </Button>
          )}
        </div>
      )}
      <RangeWork {...props} />
    </>
  );
}

/** What is done to a range: the one that plays, or what is weak round the frame. */
function RangeWork({ fix, hold, changes }: PartProps) {
  const frame = useBench((state) => state.frame);
  const chosen = useBench((state) => state.range);
  const [strength, setStrength] = useState(1);
  const weak = hold.weak.find((one) => one.first <= frame && frame <= one.last);
  const range = chosen ?? weak ?? null;
  const off = fix.off as [number, number][];
  const offHere = off.findIndex(([first, last]) => first <= frame && frame <= last);
  return (
    <div className="stitch-t flex flex-col gap-1.5 pt-2">
      <p className="text-soft">
        {range ? (
          <>
            Range <span className="figure text-ink">{range.first}</span> to{" "}
            <span className="figure text-ink">{range.last}</span>
          </>
        ) : (
          "No range: press I at its first frame and O at its last."
        )}
      </p>
      {range && (
        <>
          <div className="flex flex-wrap gap-1.5">
            <Button
              tip="Measure it again, from the frames on both sides"
              onClick={() => changes.redo(range.first, range.last)}
            >
              Redo
            </Button>
            <Button tip="Forget what was measured there" onClick={() => changes.throwAway(range.first, range.last)}>
              Throw away
            </Button>
            <Button
              tip="Leave these frames as they were shot"
              onClick={() => changes.off(joined([...off, [range.first, range.last]]))}
            >
              Fix off there
            </Button>
          </div>
          <div className="flex items-center gap-1.5">
            <div className="min-w-0 flex-1">
              <Slider
                label="Smooth"
                value={strength}
                min={0}
                max={4}
                step={0.5}
                words={["little", "some", "more", "much", "all"][Math.round(strength)]!}
                onChange={setStrength}
              />
            </div>
            <Button onClick={() => changes.smooth(range.first, range.last, 10 ** strength)}>Do</Button>
          </div>
        </>
      )}
      {offHere >= 0 && (
        <Button onClick={() => changes.off(off.filter((_, k) => k !== offHere))}>
          On again from {off[offHere]![0]} to {off[offHere]![1]}
        </Button>
      )}
    </div>
  );
}

/** Ranges in order, those that touch made one. */
export function joined(ranges: [number, number][]): [number, number][] {
  const made: [number, number][] = [];
  for (const [first, last] of [...ranges].sort((a, b) => a[0] - b[0])) {
    const before = made[made.length - 1];
    if (before && first <= before[1] + 1) before[1] = Math.max(before[1], last);
    else made.push([first, last]);
  }
  return made;
}
