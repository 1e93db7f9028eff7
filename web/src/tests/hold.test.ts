import { beforeEach, describe, expect, it } from "vitest";
import type { Fix, Hold } from "../api/client";
import { joined } from "../features/bench/hold/CorrectPart";
import { isChanged, redraft, wanted, withKind } from "../features/bench/hold/draft";
import { draggedSearch, draggedWindow } from "../features/bench/hold/hands";
import { patchState } from "../features/bench/shared/addresses";
import { isOff, measuredBy } from "../features/bench/shared/holds";
import { openShot, useBench } from "../features/bench/store";

const square = (left: number, top: number, size: number): [number, number][] => [
  [left, top],
  [left + size, top],
  [left + size, top + size],
  [left, top + size],
];

const method = {
  kind: "mesh",
  motion: "perspective",
  spacing: 28,
  stiffness: 1,
  search: [24, 24],
  renew: false,
  prep: { channel: "luma", degrain: 0, blur: 0, sharpen: 0, contrast: 0, gamma: 1 },
} as Hold["method"];

const held = (frame: number, by: number) => ({
  frame,
  by,
  drift: 1,
  seen: 1,
  lost: false,
  trouble: "",
  how: "",
  hidden: 0,
  off: 0,
});

const fix = {
  id: 5,
  version: 3,
  settled: 4,
  off: [[12, 14]],
  edge: { nodes: [], growth: 0, softness: 0 },
  hold: {
    id: 9,
    anchor: 10,
    method,
    ground: { anchor: 10, read: [square(100, 100, 200)], ignore: [], passing: [] },
    frames: [held(9, 7), held(11, 9), held(12, 7)],
  },
} as unknown as Fix;

beforeEach(() => openShot(10));

describe("what is changed of ground and method waits for being tracked", () => {
  it("is the hold's own until something is changed", () => {
    expect(wanted(fix, null)).toEqual({ ground: fix.hold!.ground, method });
    expect(isChanged(fix, useBench.getState().draft)).toBe(false);
    redraft(fix, (now) => ({ method: { ...now.method, spacing: 72 } }));
    const { draft } = useBench.getState();
    expect(isChanged(fix, draft)).toBe(true);
    expect(wanted(fix, draft)?.method.spacing).toBe(72);
    expect(wanted({ ...fix, id: 6 }, draft)?.method.spacing).toBe(28);
  });

  it("gives a point hold its windows and a mesh a ground again", () => {
    const two = withKind(fix, { ground: fix.hold!.ground, method }, "two-point");
    expect(two.ground?.read).toEqual([square(126, 176, 48), square(226, 176, 48)]);
    const back = withKind(fix, { ground: two.ground!, method: two.method! }, "planar");
    expect(back.ground?.read).toEqual([
      [
        [100, 150],
        [300, 150],
        [300, 250],
        [100, 250],
      ],
    ]);
  });
});

describe("windows are dragged", () => {
  const box = { left: 100, top: 100, right: 140, bottom: 140 };
  it("as a whole, or by a corner, and never turn inside out", () => {
    const drag = { kind: "window" as const, index: 0, from: { x: 0, y: 0 }, at: { x: 10, y: -5 }, box };
    expect(draggedWindow({ ...drag, corner: null })).toEqual({ left: 110, top: 95, right: 150, bottom: 135 });
    expect(draggedWindow({ ...drag, corner: 2 })).toEqual({ left: 100, top: 100, right: 150, bottom: 135 });
    expect(draggedWindow({ ...drag, corner: 0, at: { x: 500, y: 500 } })).toMatchObject({ left: 124, top: 124 });
  });
  it("and search as far as the outer box is drawn", () => {
    expect(draggedSearch({ kind: "search", index: 0, at: { x: 175, y: 80 }, box })).toEqual([35, 20]);
    expect(draggedSearch({ kind: "search", index: 0, at: { x: 120, y: 120 }, box })).toEqual([4, 4]);
  });
});

describe("frames are named by the hold that measured them", () => {
  it("so that a correction changes only the pictures that it touches", () => {
    expect(measuredBy(fix.hold!, 11)).toBe(9);
    expect(measuredBy(fix.hold!, 10)).toBe(9);
    expect(patchState([fix], 12)).toBe("5.3.4.9-7");
    expect(patchState([fix], 9)).toBe("5.3.4.7");
  });
});

describe("ranges on which a fix is off", () => {
  it("are told, and grow together when they touch", () => {
    expect([11, 12, 14, 15].map((frame) => isOff(fix, frame))).toEqual([false, true, true, false]);
    expect(
      joined([
        [20, 30],
        [5, 8],
        [9, 12],
        [28, 33],
      ]),
    ).toEqual([
      [5, 12],
      [20, 33],
    ]);
  });
});
