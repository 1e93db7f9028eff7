import type { Piece, Schemas, Shot } from "../../../api/client";

export type Form = Schemas["FormOut"];
export type What = Piece["what"];

export const WHAT: Record<What, { words: string; add: string; tip: string }> = {
  frames: { words: "Finished frames", add: "Frames in another form", tip: "What goes back into the edit" },
  mattes: { words: "Mattes", add: "Mattes", tip: "What the fixes cover, 0 to 1, one a fix or all together" },
  patch: {
    words: "Patch alone",
    add: "Patch alone",
    tip: "Only what was laid, with alpha, to be laid over the source",
  },
  preview: { words: "Preview", add: "Preview", tip: "A small movie with the look in it, for showing only" },
  side: { words: "Side by side", add: "Side by side", tip: "Source and patched beside each other, with the look" },
};

export const ORDER: What[] = ["frames", "mattes", "patch", "preview", "side"];

export const piece = (what: What): Piece => ({
  what,
  form: what === "frames" ? "source" : what === "preview" || what === "side" ? "h264" : "tiff16",
  space: "own",
  each: true,
  straight: true,
  mattes: false,
  name: "",
});

export const isShown = (one: Piece) => one.what === "preview" || one.what === "side";

/** The forms that a piece can be written in. */
export function formsFor(one: Piece, forms: Form[]): { value: string; words: string }[] {
  const fit = forms.filter((form) => (one.what !== "patch" || form.alpha) && (one.what !== "mattes" || !form.coded));
  const own = one.what === "frames" ? [{ value: "source", words: "As the source" }] : [];
  return [...own, ...fit.map((form) => ({ value: form.key, words: form.words }))];
}

/** The usual name of what a piece writes. */
export function usualName(one: Piece, shot: Shot, forms: Form[]): string {
  if (one.what === "frames" && one.form === "source") return "the source's own names";
  const movie = isShown(one) || forms.find((form) => form.key === one.form)?.kind === "movie";
  const number = movie ? "" : ".####";
  const name = shot.clip.name;
  return {
    frames: `${name}${number}`,
    mattes: `mattes/{fix}${number}`,
    patch: `patch/${name}${number}`,
    preview: `${name}-preview`,
    side: `${name}-side-by-side`,
  }[one.what];
}

/** What a change of form leaves of the other choices. */
export function withForm(one: Piece, form: string, forms: Form[]): Piece {
  const exr = form.startsWith("exr");
  return {
    ...one,
    form,
    mattes: one.mattes && exr && one.what === "frames",
    space: form === "source" ? "own" : one.space,
    straight: form === "png16" || (forms.find((known) => known.key === form)?.coded ?? false) ? true : one.straight,
  };
}

/** What is written as the source is, in words. */
export function kindOf({ clip }: Shot): string {
  if (clip.kind === "movie")
    return `One movie without loss (FFV1, Matroska) in the source's own samples, with its rate, timecode and sound.${clip.lossy ? " The source's own codec would change every frame." : ""}`;
  const depth = clip.depth.startsWith("float")
    ? clip.depth === "float16"
      ? "half float"
      : "float"
    : `${clip.bits} bit`;
  if (clip.codec === "jpg" || clip.codec === "jpeg")
    return "JPEG cannot give values back, so the frames are written as 8 bit TIFF with the source's numbering.";
  const packed = clip.lossy ? ", with a compression that loses nothing," : "";
  return `${clip.codec.toUpperCase()}, ${depth},${packed} with the source's numbering and all else that its files hold.`;
}
