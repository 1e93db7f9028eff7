import { client, type Fix } from "../../../api/client";
import { Choice } from "../../../ui/controls";
import type { PanelProps } from "../shared/panel";
import { Section } from "../shared/Section";
import { ArtPart } from "./ArtPart";
import { BrushPart } from "./BrushPart";
import { PlateRow } from "./PlateRow";
import { Proposed } from "./Proposed";
import { RoundTrip } from "./RoundTrip";
import { StrokeList } from "./StrokeList";

const SOURCES = {
  replace: ["Replace", "The plate covers the mark"],
  lift: ["Lift", "Only what the retouch changed is carried: ink, stains, tan lines"],
  insert: ["Insert", "New artwork or make-up on the surface"],
} as const;

const WORDS = { replace: "retouched", lift: "lifted off", insert: "put on" };

/** What takes the mark's place: plates, the brushes on them, artwork. */
export function SourceStage({ shot, fix, change }: PanelProps) {
  const keep = (part: Partial<Pick<Fix, "source" | "blend" | "stands">>) => {
    const { source, blend, stands } = { ...fix, ...part };
    change.mutate(({ params, version }) =>
      client.PATCH("/api/fixes/{fix}/source", { params, body: { version, source, blend, stands } }),
    );
  };
  return (
    <Section
      stage="source"
      name="Source"
      words={
        fix.proposed
          ? `proposed, ${plateWords(fix)}`
          : fix.plates.length
            ? `${WORDS[fix.source]}, ${plateWords(fix)}`
            : "no plate yet"
      }
      figure={fix.plate ? String(fix.plate.frame) : ""}
      hint={{
        words:
          "Take a plate, Alt-click a clean place beside the mark, then paint over it. It is carried to every frame.",
        done: fix.strokes.length > 0,
      }}
    >
      <Choice
        label="Source"
        wide
        value={fix.source}
        onChange={(source) => keep({ source })}
        options={(Object.keys(SOURCES) as (keyof typeof SOURCES)[]).map((value) => ({
          value,
          words: SOURCES[value][0],
          tip: SOURCES[value][1],
        }))}
      />
      <Proposed fix={fix} change={change} />
      <PlateRow shot={shot} fix={fix} change={change} />
      {fix.plates.length > 1 && (
        <Choice
          label="Plates share the shot"
          wide
          value={fix.blend}
          onChange={(blend) => keep({ blend })}
          options={[
            { value: "time", words: "By time", tip: "From one plate's frame evenly to the next" },
            { value: "light", words: "By light", tip: "Place by place, whichever plate's light is nearest" },
          ]}
        />
      )}
      {fix.source === "insert" && <ArtPart shot={shot} fix={fix} change={change} />}
      {fix.plate && (
        <>
          <BrushPart shot={shot} fix={fix} change={change} />
          <StrokeList fix={fix} change={change} />
          <RoundTrip shot={shot} fix={fix} change={change} />
        </>
      )}
    </Section>
  );
}

const plateWords = (fix: Fix) => (fix.plates.length === 1 ? "1 plate" : `${fix.plates.length} plates`);
