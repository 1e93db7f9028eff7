import { beforeEach, describe, expect, it } from "vitest";
import type { Node, Outline } from "../api/client";
import { frontWords, withLoop } from "../features/bench/edge/front";
import { openShot, useBench } from "../features/bench/store";

const loop = (x: number): Node[] => [0, 1, 2].map((k) => ({ x: x + k, y: k * k, into: [0, 0], out: [0, 0] }) as Node);
const frames = (one: Outline) => one.keys!.map((key) => key.frame);

describe("drawing what is in front", () => {
  it("a loop drawn while nothing is chosen is a shape of its own, there on that frame alone", () => {
    const made = withLoop([], null, 1052, loop(5), false);
    expect(made.chosen).toBe(0);
    expect(made.shapes).toHaveLength(1);
    expect(made.shapes[0]!.span).toEqual([1052, 1052]);
    expect(frontWords(made.shapes[0]!)).toBe("In front on 1052");
    const second = withLoop(made.shapes, null, 1060, loop(9), false);
    expect(second.chosen).toBe(1);
    expect(frames(second.shapes[0]!)).toEqual([1052]);
    expect(frames(second.shapes[1]!)).toEqual([1060]);
  });

  it("drawn again while it is chosen it gets keys in order of time, and reaches from the first to the last", () => {
    let made = withLoop([], null, 1052, loop(5), false);
    for (const frame of [1060, 1048]) made = withLoop(made.shapes, made.chosen, frame, loop(frame), false);
    expect(made.shapes).toHaveLength(1);
    expect(frames(made.shapes[0]!)).toEqual([1048, 1052, 1060]);
    expect(made.shapes[0]!.span).toEqual([1048, 1060]);
    expect(frontWords(made.shapes[0]!)).toBe("In front, 3 keys, 1048 to 1060");
  });

  it("drawn again on a frame that has a key, the new line takes its place", () => {
    const made = withLoop([], null, 1052, loop(5), false);
    const again = withLoop(made.shapes, 0, 1052, loop(80), false);
    expect(frames(again.shapes[0]!)).toEqual([1052]);
    expect(again.shapes[0]!.keys![0]!.nodes[0]!.x).toBe(80);
  });

  it("what is not in front never becomes a key of what is, nor of what was brushed", () => {
    const brushed: Outline = { nodes: loop(1), keys: [], takes: false, width: 20, span: [1050, 1050] };
    const made = withLoop([brushed], 0, 1052, loop(5), false);
    expect(made.shapes[0]).toBe(brushed);
    expect(made.chosen).toBe(1);
    const not = withLoop(made.shapes, 1, 1053, loop(6), true);
    expect(not.chosen).toBe(2);
    expect(frontWords(not.shapes[2]!)).toBe("Not in front on 1053");
    expect(frontWords(brushed)).toBe("In front, brushed on 1050");
  });

  it("leaves the list it was given alone", () => {
    const made = withLoop([], null, 1052, loop(5), false);
    const kept = JSON.stringify(made.shapes);
    withLoop(made.shapes, 0, 1060, loop(9), false);
    expect(JSON.stringify(made.shapes)).toBe(kept);
  });
});

describe("choosing another fix", () => {
  beforeEach(() => openShot(1001));

  it("lets go of what was chosen within the last one", () => {
    useBench.getState().set({ fix: 1 });
    useBench.getState().set({ outline: 2, node: 4, front: 1, stroke: 7 });
    useBench.getState().set({ fix: 1, frame: 1010 });
    expect(useBench.getState().outline).toBe(2);
    useBench.getState().set({ fix: 2 });
    const { outline, node, front, stroke, frame } = useBench.getState();
    expect([outline, node, front, stroke, frame]).toEqual([0, null, null, null, 1010]);
  });

  it("takes what comes along with the choice", () => {
    useBench.getState().set({ fix: 3, outline: 1, stage: "edge" });
    expect(useBench.getState().outline).toBe(1);
  });
});
