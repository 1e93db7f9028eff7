import type { Fix, Schemas } from "../../../api/client";

export type Fill = Schemas["FillData"];
export type Soften = Schemas["SoftenData"];
export type Source = Fix["source"];
export type Kind = Fill["kind"];

interface Way {
  name: string;
  /** What it is for, in a line. */
  words: string;
  /** How the stage's own line says it. */
  done: string;
}

/** All sources. */
const SOURCES: Record<Source, Way> = {
  replace: { name: "Replace", words: "The plate covers the mark on every frame", done: "retouched" },
  lift: { name: "Lift", words: "Only what the retouch changed is carried: ink, stains, tan lines", done: "lifted off" },
  retrace: {
    name: "Retrace",
    words: "Your strokes are redone on every frame, on its own pixels: no light to match",
    done: "retraced",
  },
  fill: { name: "Fill", words: "Grown from round the mark, or taken from beside or from other frames", done: "filled" },
  soften: { name: "Soften", words: "Tone is smoothed and creases evened; pores stay", done: "softened" },
  insert: { name: "Insert", words: "New artwork or make-up on the surface", done: "put on" },
  unveil: {
    name: "Unveil",
    words: "A see-through mark is taken off each frame's own picture: no plate, nothing to track",
    done: "unveiled",
  },
};

const RIDING: Source[] = ["replace", "lift", "retrace", "fill", "soften", "insert"];
const STANDING: Source[] = ["replace", "lift", "unveil", "fill", "insert"];

/** The sources that suit a mark, as it rides the surface or stands in the frame; and the one that it has. */
export function sourcesOf(fix: Fix): Partial<Record<Source, Way>> {
  const fitting = fix.stands && !fix.carried ? STANDING : RIDING;
  const shown = fitting.includes(fix.source) ? fitting : [...fitting, fix.source];
  return Object.fromEntries(shown.map((source) => [source, SOURCES[source]]));
}

/** The kinds of fill. */
export const KINDS: Record<Kind, Way> = {
  soak: { name: "Soak", words: "Smooth from the rim inwards", done: "soaked" },
  contour: { name: "Contour", words: "Carries the lines that meet the rim inwards", done: "by contour" },
  pull: { name: "Pull", words: "Stretches what lies beside; turn the arrow on the picture", done: "pulled" },
  weave: { name: "Weave", words: "Rebuilds the texture from patches of the surface round it", done: "woven" },
  borrow: { name: "Borrow", words: "A clean place beside; drag it on the picture", done: "borrowed" },
  "other frames": {
    name: "Other frames",
    words: "What lay behind, from the frames on which it was uncovered",
    done: "from other frames",
  },
};

/** Sources that are painted on a plate, or that a plate may guide. */
export const onPlates = (fix: Fix) => fix.source !== "soften" && fix.source !== "unveil";

/** The stage in a few words. */
export function sourceWords(fix: Fix): string {
  const plates = fix.plates.length === 1 ? "1 plate" : `${fix.plates.length} plates`;
  if (fix.source === "fill") {
    const guided = fix.plates.length ? `, guided by ${plates}` : "";
    return `${fix.proposed ? "proposed, " : ""}${KINDS[fix.fill.kind].done}${guided}`;
  }
  if (!onPlates(fix)) return `${fix.proposed ? "proposed, " : ""}${SOURCES[fix.source].done}`;
  if (!fix.plates.length) return "no plate yet";
  if (fix.source === "retrace") return `${fix.strokes.length} strokes on every frame`;
  return `${fix.proposed ? "proposed" : SOURCES[fix.source].done}, ${plates}`;
}
