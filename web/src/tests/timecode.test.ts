import { expect, it } from "vitest";
import { framesOf, timecode } from "../canvas/timecode";
import reference from "./timecode.json";

const rateOf = ([num, den]: number[]) => num! / den!;

it.each(reference.there)("$text is frame $frames", ({ rate, frames, text }) => {
  expect(framesOf(text, rateOf(rate))).toBe(frames);
  expect(timecode(frames, rateOf(rate), text.includes(";"))).toBe(text);
});

it.each(reference.none)("there is no '$text'", ({ rate, text }) => {
  expect(framesOf(text, rateOf(rate))).toBeNull();
});
