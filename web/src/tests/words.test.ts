import { describe, expect, it } from "vitest";
import type { Shot } from "../api/client";
import { partOf, patchedAddress, sourceAddress } from "../features/bench/shared/addresses";
import { partSeen } from "../features/bench/viewer/pictures";
import { knobOf } from "../features/bench/viewer/split";
import { bytes, ranges, rateConsequence, rateOf } from "../features/jobs/words";

describe("rates in words", () => {
  it("knows what a typed rate means", () => {
    expect(rateOf("25")).toEqual({ num: 25, den: 1 });
    expect(rateOf("23.976")).toEqual({ num: 24000, den: 1001 });
    expect(rateOf("29,97")).toEqual({ num: 30000, den: 1001 });
    expect(rateOf(" 24000/1001 ")).toEqual({ num: 24000, den: 1001 });
    expect(rateOf("fast")).toBeNull();
    expect(rateOf("0")).toBeNull();
    expect(rateOf("24/0")).toBeNull();
  });

  it("says the consequence: 88 frames at 24 play 3.67 s, at 25 they play 3.52 s", () => {
    const words = rateConsequence(88, { num: 24, den: 1 }, { num: 25, den: 1 }, false);
    expect(words).toContain("play 3.67 s");
    expect(words).toContain("3.52 s");
    expect(rateConsequence(100, { num: 25, den: 1 }, { num: 50, den: 1 }, true)).toContain(
      "50 frames of the same 2.00 s; some pictures are left out",
    );
    expect(rateConsequence(100, { num: 50, den: 1 }, { num: 25, den: 1 }, true)).toContain("200 frames");
  });

  it("says frames as ranges and bytes as people do", () => {
    expect(ranges([1003, 1004, 1009])).toBe("1003 to 1004, 1009");
    expect(ranges([1, 3, 5, 7, 9, 11], 2)).toBe("1, 3 and 4 more");
    expect(bytes(1_260_000_000)).toBe("1.3 GB");
  });
});

describe("what is asked for", () => {
  const shot = { id: 4, look_name: "abc", clip: { width: 4096, height: 2160 } } as unknown as Shot;

  it("names the look, so that a changed look is another picture", () => {
    expect(sourceAddress(shot, 9)).toBe("/pictures/shots/4/frames/9.jpg?l=abc&wide=1280");
    const way = {
      wide: 0,
      channel: "texture" as const,
      stress: { exposure: 1, gamma: 1, saturation: 2, posterise: 0 },
    };
    expect(patchedAddress(shot, 9, [], way)).toContain("&ch=texture&st=1,1,2,0");
  });

  it("zoomed in, a part comes whole and without loss", () => {
    const part = partSeen(
      { left: 0, top: 0, width: 4096, height: 2160 },
      { scale: 4, x: -4000, y: -2000 },
      { width: 800, height: 400 },
    );
    expect(part).toEqual({ left: 960, top: 448, width: 256, height: 192 });
    expect(partOf(sourceAddress(shot, 9), part!)).toBe("/pictures/shots/4/frames/9.png?l=abc&x=960&y=448&w=256&h=192");
    expect(
      partSeen({ left: 0, top: 0, width: 40, height: 20 }, { scale: 1, x: 900, y: 0 }, { width: 800, height: 400 }),
    ).toBeNull();
  });

  it("the knob lies on the line, to its right when it leans right", () => {
    expect(knobOf({ x: 100, y: 100 }, 0)).toEqual({ x: 100, y: 30 });
    expect(knobOf({ x: 100, y: 100 }, 90).x).toBeCloseTo(170);
  });
});
