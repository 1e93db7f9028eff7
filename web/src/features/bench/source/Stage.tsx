import { client, type Fix } from "../../../api/client";
import { Choice } from "../../../ui/controls";
import type { PanelProps } from "../shared/panel";
import { Section } from "../shared/Section";
import { WayPicker } from "../shared/WayPicker";
import { ArtPart } from "./ArtPart";
import { BrushPart } from "./BrushPart";
import { keepFill } from "./changes";
import { FillPart } from "./FillPart";
import { PlateRow } from "./PlateRow";
import { Proposed } from "./Proposed";
import { RoundTrip } from "./RoundTrip";
import { SoftenPart } from "./SoftenPart";
import { StrokeList } from "./StrokeList";
import { TrySheet } from "./TrySheet";
import { UnveilPart } from "./UnveilPart";
import { onPlates, type Source, sourcesOf, sourceWords } from "./ways";

const STANDS = "The mark stands in the frame and lies on another place of the surface on every frame";

/** What takes the mark's place: the source, and what it needs. */
export function SourceStage({ shot, fix, change }: PanelProps) {
  const keep = (part: Partial<Pick<Fix, "source" | "blend" | "stands">>) => {
    const { source, blend, stands } = { ...fix, ...part };
    change.mutate(({ params, version }) =>
      client.PATCH("/api/fixes/{fix}/source", { params, body: { version, source, blend, stands } }),
    );
  };
  const pick = (source: Source) => {
    if (source === "fill" && fix.stands) keepFill(change, fix, { kind: "other frames" }, null);
    else keep({ source });
  };
  const why = (source: Source) => (fix.stands && (source === "retrace" || source === "soften") ? STANDS : "");
  const plated = onPlates(fix);
  return (
    <Section
      stage="source"
      name="Source"
      words={sourceWords(fix)}
      figure={fix.plate && plated ? String(fix.plate.frame) : ""}
      hint={{
        words:
          "Take a plate, Alt-click a clean place beside the mark, then paint over it. It is carried to every frame.",
        done: fix.strokes.length > 0 || fix.source === "fill" || !plated || !!fix.proposed,
      }}
    >
      <WayPicker label="Source" value={fix.source} ways={sourcesOf(fix)} disabled={why} onChange={pick} />
      {fix.source === "fill" && <FillPart shot={shot} fix={fix} change={change} />}
      {fix.source === "soften" && <SoftenPart shot={shot} fix={fix} change={change} />}
      {fix.source === "unveil" && !fix.proposed && <UnveilPart fix={fix} />}
      {(fix.source === "fill" || fix.source === "retrace") && fix.lacks && (
        <p role="status" className="text-noticeable">
          {fix.lacks}
        </p>
      )}
      {fix.source !== "unveil" && <TrySheet fix={fix} change={change} />}
      {(fix.source === "replace" || fix.proposed) && <Proposed fix={fix} change={change} />}
      {plated && <PlateRow shot={shot} fix={fix} change={change} />}
      {fix.plates.length > 1 && fix.source !== "fill" && fix.source !== "retrace" && plated && (
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
      {fix.plate && plated && (
        <>
          <BrushPart shot={shot} fix={fix} change={change} />
          <StrokeList fix={fix} change={change} />
          {fix.source !== "retrace" && <RoundTrip shot={shot} fix={fix} change={change} />}
        </>
      )}
    </Section>
  );
}
