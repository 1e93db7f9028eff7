import { beforeEach, describe, expect, it, vi } from "vitest";
import type { Fix, Hold, TellRow } from "../api/client";
import { KEYS, OTHERS } from "../features/bench/keys";
import { patchState, sourceAddress } from "../features/bench/shared/addresses";
import { frameOf, isHeld, isOff, measuredBy } from "../features/bench/shared/holds";
import { level, loudest, nextLoud, nextOfAll, tellLevel } from "../features/bench/shared/levels";
import { apiNodes, cornerNodes, outlineNodes, withNodes } from "../features/bench/shared/nodes";
import { openShot, useBench } from "../features/bench/store";
import { loopOf } from "../features/bench/viewer/gestures";
import { addressOf } from "../features/bench/viewer/pictures";
import type { Room } from "../features/bench/viewer/room";

const held = (frame: number, drift = 0.2, lost = false, by = 3) => ({ frame, drift, lost, by });
const hold = (...frames: object[]) => ({ id: 3, anchor: 10, frames }) as unknown as Hold;

describe("the store", () => {
  beforeEach(() => openShot(1001));

  it("begins each shot anew, at its own frame", () => {
    useBench.getState().set({ stage: "check", frame: 1050, span: { first: 1040, last: 1060 }, inset: "top-left" });
    openShot(5);
    expect(useBench.getState()).toMatchObject({ stage: "hold", frame: 5, span: null, inset: null, tool: "look" });
  });

  it("lets go of what is chosen in a fix when another one is", () => {
    const { set } = useBench.getState();
    set({ fix: 1, node: 4, outline: 2, front: 1, stroke: 9 });
    set({ fix: 1, frame: 1002 });
    expect(useBench.getState()).toMatchObject({ node: 4, outline: 2 });
    set({ fix: 2 });
    expect(useBench.getState()).toMatchObject({ node: null, outline: 0, front: null, stroke: null });
  });

  it("keeps a view a picture", () => {
    useBench.getState().view("still", { scale: 2, x: 1, y: 1 });
    expect(useBench.getState().views).toEqual({ shot: null, still: { scale: 2, x: 1, y: 1 } });
  });
});

describe("a hold's frames", () => {
  it("are found by number, the anchor among them", () => {
    const one = hold(held(9), held(11, 0.2, false, 7));
    expect(frameOf(one, 11)?.by).toBe(7);
    expect([measuredBy(one, 11), measuredBy(one, 12)]).toEqual([7, 3]);
    expect([9, 10, 12].map((n) => isHeld(one, n))).toEqual([true, true, false]);
  });

  it("say where the hold is loudest, lost before all", () => {
    expect(loudest(hold(held(1, 3), held(2, 1, true)))).toMatchObject({ frame: 2, lost: true });
    expect(loudest(hold())).toBeNull();
    expect([level(0.1), level(1.4), level(2.4), level(0.1, true), level(undefined)]).toEqual([
      "quiet",
      "noticeable",
      "loud",
      "loud",
      "none",
    ]);
  });
});

describe("what is loud", () => {
  const row = (frame: number, seam: number) =>
    ({ frame, seam, drift: 0, light: 0, texture: 0, grain: 0, flicker: 0 }) as unknown as TellRow;

  it("comes next after the frame, and round again", () => {
    const rows = [row(1, 0.2), row(4, 1.1), row(8, 3)];
    expect([nextLoud(rows, 1), nextLoud(rows, 4), nextLoud(rows, 9)]).toEqual([4, 8, 4]);
    expect(nextLoud([row(1, 0.5)], 1)).toBeNull();
    const all = [
      { fix: 1, rows: [row(3, 0.2), row(8, 1.1)] },
      { fix: 2, rows: [row(5, 1.4), row(8, 2.2)] },
    ];
    expect(nextOfAll(all, 3)).toEqual({ fix: 2, frame: 5 });
    expect(nextOfAll(all, 5)).toEqual({ fix: 2, frame: 8 });
    expect(nextOfAll(all, 8)).toEqual({ fix: 2, frame: 5 });
    expect(nextOfAll([{ fix: 1, rows: [row(3, 0.2)] }], 1)).toBeNull();
    expect([undefined, 0.99, 1, 2].map(tellLevel)).toEqual(["none", "quiet", "noticeable", "loud"]);
  });
});

describe("addresses", () => {
  const shot = { id: 4, look_name: "lk", clip: { width: 1280, height: 720 } } as never;
  const fix = (part: object) =>
    ({ id: 1, version: 2, settled: 5, on: true, lacks: "", off: [], hold: hold(held(11)), ...part }) as unknown as Fix;

  it("change with what they show, and only then", () => {
    expect(patchState([fix({})], 11)).toBe("1.2.5.3");
    expect(patchState([fix({})], 40)).toBe("1.2.5.");
    expect(patchState([fix({ version: 3 })], 11)).not.toBe(patchState([fix({})], 11));
  });

  it("are the source's own while there is no patch", () => {
    expect(addressOf(shot, 7, "patched", [fix({ lacks: "No plate yet" })])).toBe(sourceAddress(shot, 7));
    expect(addressOf(shot, 7, "patched", [fix({ on: false })])).toBe(sourceAddress(shot, 7));
    expect(addressOf(shot, 7, "patched", [fix({})])).toContain("/patched/7.jpg?v=");
    expect(addressOf(shot, 7, "source", [fix({})])).toBe(sourceAddress(shot, 7));
  });

  it("a fix is off on its stretches", () => {
    expect([3, 4, 6, 7].map((n) => isOff(fix({ off: [[4, 6]] }), n))).toEqual([false, true, true, false]);
  });
});

describe("outlines", () => {
  const square = cornerNodes([
    { x: 0, y: 0 },
    { x: 4.123456, y: 0 },
    { x: 4, y: 4 },
  ]);

  it("are sent rounded, and come back as they went", () => {
    expect(square[1]).toMatchObject({ x: 4.12, y: 0, into: [0, 0], soft: 0 });
    expect(apiNodes(outlineNodes({ nodes: square } as never, 1))).toEqual(square);
    expect(outlineNodes(undefined, 1)).toEqual([]);
  });

  it("get a key where a point is dragged, with the first shape kept at the anchor", () => {
    const moved = outlineNodes({ nodes: square } as never, 1).map((node) => ({ ...node, x: node.x + 1 }));
    const made = withNodes({ nodes: square, keys: [] } as never, moved, 20, true, 10);
    expect(made.keys?.map((key) => key.frame)).toEqual([10, 20]);
    expect(outlineNodes(made, 15)[0]!.x).toBeCloseTo(0.5);
    expect(withNodes({ nodes: square, keys: [] } as never, moved, 20, false, 10).keys).toEqual([]);
  });
});

describe("keys and tools", () => {
  it("name every key once, in words", () => {
    const all = Object.values(KEYS).flat();
    expect(new Set(all.map(({ key }) => key)).size).toBe(all.length);
    expect(all.every(({ words, shown }) => words.length > 3 && shown)).toBe(true);
    expect(Object.keys(OTHERS)).toEqual(Object.keys(KEYS));
  });

  it("do what they say", () => {
    openShot(10);
    const given = { shot: { clip: { first: 1, last: 20 } }, loud: () => 17 } as never;
    const press = (key: string) =>
      Object.values(KEYS)
        .flat()
        .find((one) => one.key === key)!
        .act(given);
    press("arrowright");
    expect(useBench.getState().frame).toBe(11);
    press("end");
    press("arrowright");
    expect(useBench.getState().frame).toBe(20);
    press("n");
    expect(useBench.getState().frame).toBe(17);
    press("i");
    press("home");
    press("o");
    expect(useBench.getState().range).toEqual({ first: 1, last: 1 });
    press("v");
    expect(useBench.getState().main).toBe("still");
    press("]");
    expect(useBench.getState().brush.radius).toBeGreaterThan(22);
  });

  it("a loop belongs to the room that has the tool", () => {
    const done = vi.fn();
    const rooms: Room[] = [{}, { loops: { add: { words: "Add", where: "both", least: 6, done } } }];
    useBench.setState({ tool: "add" });
    expect(loopOf(rooms)?.words).toBe("Add");
    useBench.setState({ tool: "look" });
    expect(loopOf(rooms)).toBeUndefined();
  });
});
