import { describe, expect, it } from "vitest";
import type { Fix, StrokeRow } from "../api/client";
import { donorAt, withDonor } from "../features/bench/source/BorrowPart";
import { spanWords } from "../features/bench/source/StrokeSpan";
import { type Fill, sourceWords } from "../features/bench/source/ways";

const fill = (part: Partial<Fill>) =>
  ({ kind: "borrow", offset: [0, 0], turn: 0, zoom: 1, keys: [], ...part }) as unknown as Fill;
const key = (frame: number, x: number, zoom = 1) => ({ frame, offset: [x, 40] as [number, number], turn: 0, zoom });

describe("a donor over time", () => {
  it("lies where it was put while it has no keys", () => {
    expect(donorAt(fill({ offset: [5, 6], turn: 30 }), 99)).toEqual({ offset: [5, 6], turn: 30, zoom: 1 });
  });
  it("goes evenly from key to key, its size by ratio, as the engine does", () => {
    const drifts = fill({ keys: [key(10, 0), key(20, 10, 4)] });
    expect(donorAt(drifts, 15)).toEqual({ offset: [5, 40], turn: 0, zoom: 2 });
    expect(donorAt(drifts, 3).offset).toEqual([0, 40]);
    expect(donorAt(drifts, 44).zoom).toBe(4);
  });
  it("gets a key of its own once it is keyed, and keeps the others", () => {
    const keys = withDonor(fill({ keys: [key(10, 0), key(20, 10)] }), 15, { offset: [9, 9] }).keys!;
    expect(keys.map((one) => [one.frame, one.offset])).toEqual([
      [10, [0, 40]],
      [15, [9, 9]],
      [20, [10, 40]],
    ]);
    expect(withDonor(fill({ offset: [1, 1] }), 15, { turn: 12 })).toEqual({ offset: [1, 1], turn: 12, zoom: 1 });
  });
});

describe("the source in words", () => {
  const fix = (part: object) =>
    ({
      source: "fill",
      fill: fill({ kind: "weave" }),
      plates: [],
      strokes: [],
      proposed: "",
      ...part,
    }) as unknown as Fix;
  it("says the kind of fill and what guides it", () => {
    expect(sourceWords(fix({}))).toBe("woven");
    expect(sourceWords(fix({ plates: [{}] }))).toBe("woven, guided by 1 plate");
  });
  it("asks for a plate only where one is needed", () => {
    expect(sourceWords(fix({ source: "soften" }))).toBe("softened");
    expect(sourceWords(fix({ source: "replace" }))).toBe("no plate yet");
    expect(sourceWords(fix({ source: "retrace", plates: [{}], strokes: [{}, {}] }))).toBe("2 strokes on every frame");
    expect(sourceWords(fix({ source: "replace", plates: [{}], proposed: "healed" }))).toBe("proposed, 1 plate");
  });
  it("says on which frames a stroke is redone", () => {
    const far = 2 ** 31 - 1;
    const words = (span: [number, number] | null) => spanWords({ span } as StrokeRow);
    expect([words(null), words([4, far]), words([-far, 9]), words([4, 9])]).toEqual([
      "on all frames",
      "from 4 on",
      "up to 9",
      "on 4 to 9",
    ]);
  });
});
