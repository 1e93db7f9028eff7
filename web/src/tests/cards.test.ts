import { describe, expect, it } from "vitest";
import type { Shot } from "../api/client";
import { type Card, fixesWords, levelOf, loudestOf, sorted } from "../features/jobs/cards";

const fix = (part: object) => ({ name: "Fix", on: true, lacks: "", state: "measured", loud: 0.4, frame: 7, ...part });
const card = (shot: number, ...fixes: object[]) =>
  ({ shot, poster: 1, marks: [], ribbon: [], fixes: fixes.map(fix) }) as unknown as Card;
const shot = (id: number, name: string, status = "todo") => ({ id, name, status }) as Shot;

describe("a shot in short", () => {
  it("says how its fixes stand", () => {
    expect(fixesWords(undefined)).toBe("nothing circled yet");
    expect(fixesWords(card(1, {}))).toBe("1 fix");
    expect(fixesWords(card(1, {}, { lacks: "No plate yet" }, { on: false }, { state: "tracking" }))).toBe(
      "4 fixes, 1 tracking, 1 not whole yet, 1 off",
    );
  });

  it("is as loud as the loudest fix that is on", () => {
    expect(loudestOf(card(1, { loud: 0.4 }, { loud: 1.3, frame: 9 }, { loud: 5, on: false }))).toEqual({
      value: 1.3,
      frame: 9,
    });
    expect(loudestOf(card(1, { loud: null }))).toBeNull();
    expect([null, 0.9, 1, 2].map(levelOf)).toEqual(["none", "quiet", "noticeable", "loud"]);
  });
});

describe("the order of shots", () => {
  const shots = [shot(1, "010"), shot(2, "100"), shot(3, "020", "approved"), shot(4, "9")];
  const cards = new Map([card(1, { loud: 0.2 }), card(2, { loud: 2.5 }), card(4, {})].map((one) => [one.shot, one]));
  const ids = (order: "order" | "work" | "name") => sorted(shots, order, cards).map(({ id }) => id);

  it("is as brought in, by name as people count, or by what needs work", () => {
    expect(ids("order")).toEqual([1, 2, 3, 4]);
    expect(ids("name")).toEqual([4, 1, 3, 2]);
    expect(ids("work")).toEqual([2, 4, 1, 3]);
  });

  it("puts what is not whole before what is loud, within a status", () => {
    const open = new Map([card(1, { lacks: "No plate yet" }), card(2, { loud: 9 })].map((one) => [one.shot, one]));
    expect(sorted([shot(2, "b"), shot(1, "a")], "work", open).map(({ id }) => id)).toEqual([1, 2]);
  });
});
