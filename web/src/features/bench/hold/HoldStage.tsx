import type { Fix, Shot } from "../../../api/client";
import { Button, Choice } from "../../../ui/controls";
import { level, loudest } from "../model";
import { Section } from "../Section";
import { type HoldPart, useBench } from "../store";
import { CorrectPart } from "./CorrectPart";
import { type Change, holdChanges } from "./changes";
import { isChanged } from "./draft";
import { GroundPart } from "./GroundPart";
import { MethodPart } from "./MethodPart";
import { TrackPart } from "./TrackPart";

const PARTS: { value: HoldPart; words: string; tip: string }[] = [
  { value: "track", words: "Track", tip: "Measure the surface, and judge how well it holds" },
  { value: "correct", words: "Correct", tip: "Drag it right where it slips; redo, smooth or throw away a range" },
  { value: "ground", words: "Ground", tip: "Which parts to read, and what to ignore" },
  { value: "method", words: "Method", tip: "How it may move and bend, and how footage is prepared for it" },
];

export interface PartProps {
  shot: Shot;
  fix: Fix;
  hold: NonNullable<Fix["hold"]>;
  changes: ReturnType<typeof holdChanges>;
}

/** The first stage: how the fix sticks to its surface. */
export function HoldStage({ shot, fix, change }: { shot: Shot; fix: Fix; change: Change }) {
  const part = useBench((state) => state.holdPart);
  const draft = useBench((state) => state.draft);
  const set = useBench((state) => state.set);
  const { hold } = fix;
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
    >
      {hold ? (
        <>
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
