import { describe, expect, it } from "vitest";
import { nextStep } from "../features/bench/undo";
import { asideFrom, cornerAt, cornerBy, insetBox } from "../features/bench/viewer/inset";

const size = { width: 776, height: 522 };
const lie = (corner: "top-left" | "top-right" | "bottom-left" | "bottom-right", scale = 1) => ({ corner, scale });
const box = (left: number, top: number, width: number, height: number) => ({ left, top, width, height });

describe("the inset", () => {
  it("stays where it is while the mark is free of it", () => {
    expect(asideFrom(box(100, 100, 100, 100), lie("bottom-right"), size)).toEqual(lie("bottom-right"));
    expect(asideFrom(null, lie("top-left"), size)).toEqual(lie("top-left"));
  });

  it("steps aside from the mark, and comes back to no place by itself", () => {
    const low = box(560, 400, 100, 60);
    expect(asideFrom(low, lie("bottom-right"), size)).toEqual(lie("bottom-left"));
    expect(asideFrom(box(20, 400, 100, 60), lie("bottom-left"), size)).toEqual(lie("bottom-right"));
  });

  it("becomes smaller before it covers the mark", () => {
    const wide = box(230, 60, 320, 400);
    const found = asideFrom(wide, lie("bottom-right"), size);
    expect(found.scale).toBeLessThan(1);
    const at = insetBox(found, size);
    expect(at.left >= wide.left + wide.width || at.left + at.width <= wide.left).toBe(true);
  });

  it("covers as little as can be of a mark that fills the picture", () => {
    expect(asideFrom(box(0, 0, 776, 522), lie("bottom-right"), size).scale).toBe(0.6);
  });

  it("lies inside the picture in every corner", () => {
    for (const corner of ["top-left", "top-right", "bottom-left", "bottom-right"] as const) {
      const at = insetBox(lie(corner), size);
      expect(at.left).toBeGreaterThanOrEqual(0);
      expect(at.top + at.height).toBeLessThanOrEqual(size.height);
      expect(cornerAt(at.left + at.width / 2, at.top + at.height / 2, size)).toBe(corner);
    }
  });

  it("is moved by the arrow keys", () => {
    expect(cornerBy("ArrowUp", "bottom-right")).toBe("top-right");
    expect(cornerBy("ArrowLeft", "top-right")).toBe("top-left");
    expect(cornerBy("Enter", "top-right")).toBeNull();
  });
});

describe("undo", () => {
  const shot = (part: object) => ({ undo: "", undo_at: 0, redo: "", redo_at: 0, ...part }) as never;
  const fix = shot;

  it("takes back whatever came last, in the fix or in the shot", () => {
    const look = shot({ undo: "Look", undo_at: 20 });
    expect(nextStep("undo", look, fix({ undo: "Edge", undo_at: 10 }))).toEqual({ of: "shot", words: "Look" });
    expect(nextStep("undo", look, fix({ undo: "Edge", undo_at: 30 }))).toEqual({ of: "fix", words: "Edge" });
    expect(nextStep("undo", look, null)?.of).toBe("shot");
    expect(nextStep("undo", shot({}), fix({ undo: "Edge", undo_at: 1 }))?.of).toBe("fix");
    expect(nextStep("undo", shot({}), fix({}))).toBeNull();
  });

  it("does again what was undone last", () => {
    const both = [shot({ redo: "Look", redo_at: 5 }), fix({ redo: "Edge", redo_at: 9 })] as const;
    expect(nextStep("redo", ...both)?.of).toBe("fix");
  });
});
