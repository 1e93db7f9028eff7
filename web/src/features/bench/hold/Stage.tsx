import { Button, Choice } from "../../../ui/controls";
import { level, loudest } from "../shared/levels";
import type { PanelProps } from "../shared/panel";
import { Section } from "../shared/Section";
import { useBench } from "../store";
import { CorrectPart } from "./CorrectPart";
import { holdChanges } from "./changes";
import { isChanged } from "./draft";
import { GroundPart } from "./GroundPart";
import { MethodPart } from "./MethodPart";
import type { HoldPart } from "./slice";
import { TrackPart } from "./TrackPart";

const PARTS: { value: HoldPart; words: string; tip: string }[] = [
  { value: "track", words: "Track", tip: "Measure the surface, and judge how well it holds" },
  { value: "correct", words: "Correct", tip: "Drag it right where it slips; redo, smooth or throw away a range" },
  { value: "ground", words: "Ground", tip: "Which parts to read, and what to ignore" },
  { value: "method", words: "Method", tip: "How it may move and bend, and how footage is prepared for it" },
];

/** The first stage: how the fix sticks to its surface. */
export function HoldStage({ shot, fix, change }: PanelProps) {
  const part = useBench((state) => state.holdPart);
  const draft = useBench((state) => state.draft);
  const laid = useBench((state) => state.laid);
  const testLine = useBench((state) => state.testLine !== null);
  const set = useBench((state) => state.set);
  const { hold } = fix;
  if (hold?.kind === "frame")
    return (
      <Section stage="hold" name="Hold" words="stands in the frame" figure="">
        <p className="text-soft">
          Nothing is tracked: the mark stands in the frame, and each frame's own picture comes back from under it. With
          another source the ground round it is tracked.
        </p>
      </Section>
    );
  const worst = loudest(hold);
  const changes = holdChanges(fix, change);
  const Part = { track: TrackPart, correct: CorrectPart, ground: GroundPart, method: MethodPart }[part];
  return (
    <Section
      stage="hold"
      name="Hold"
      words={hold ? `${hold.kind}${hold.grid ? ` ${hold.grid.across} × ${hold.grid.down}` : ""}` : "none yet"}
      figure={worst ? (worst.lost ? "lost" : `${worst.drift.toFixed(1)} px`) : ""}
      level={level(worst?.drift, worst?.lost)}
      hint={{
        words: "Once it is tracked, lay lines or a test line on it and play: what swims does not hold yet.",
        done: testLine || laid === "lines" || laid === "checker",
      }}
    >
      {hold ? (
        <>
          {fix.shares.length > 0 && (
            <p className="text-soft">
              On the same hold as {fix.shares.join(", ")}: what is corrected is gained by all. Tracking anew parts them.
            </p>
          )}
          <Choice
            label="Part of the hold"
            wide
            value={part}
            onChange={(next) => set({ holdPart: next })}
            options={PARTS}
          />
          <Part shot={shot} fix={fix} hold={hold} changes={changes} />
          {isChanged(fix, draft) && part !== "track" && (
            <div className="flex items-center gap-1.5">
              <Button look="main" onClick={() => changes.track("both")}>
                Track with this
              </Button>
              <Button onClick={() => set({ draft: null })}>Put back</Button>
            </div>
          )}
        </>
      ) : (
        <p className="text-soft">{fix.lacks}</p>
      )}
    </Section>
  );
}
