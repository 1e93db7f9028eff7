import { describe, expect, it, vi } from "vitest";
import { FrameStore } from "../canvas/frames";
import { falloff } from "../canvas/livestroke";
import { Player, timecode } from "../canvas/player";
import { fitted, toPicture, toScreen, zoomed } from "../canvas/view";
import { changedSince } from "../features/bench/plate";

describe("view", () => {
  it("zooms about the pointer and maps back", () => {
    const view = fitted({ left: 100, top: 50, width: 400, height: 300 }, 800, 600);
    expect(toScreen(view, { x: 99.5, y: 49.5 })).toEqual({ x: 0, y: 0 });
    const at = { x: 333, y: 222 };
    const under = toPicture(view, at);
    const near = zoomed(view, 2.5, at);
    expect(toPicture(near, at).x).toBeCloseTo(under.x, 9);
    expect(toPicture(near, at).y).toBeCloseTo(under.y, 9);
  });
});

describe("player", () => {
  it("counts what was due and not shown as dropped", () => {
    const player = new Player(1001, 1096, 24);
    player.start(1001, 0);
    for (const ms of [42, 84, 126]) player.show(player.due(ms).count);
    expect(player.dropped).toBe(0);
    player.show(player.due(300).count); // frames 4 to 6 were not shown
    expect(player.dropped).toBe(3);
    expect(player.due(4000).frame).toBe(1001); // it loops
  });

  it("writes SMPTE ST 12-1 non-drop timecode", () => {
    expect(timecode(24 * 3661 + 5, 24)).toBe("01:01:01:05");
  });
});

describe("frame store", () => {
  const picture = () => ({ close: vi.fn() }) as unknown as ImageBitmap;

  it("asks once, keeps the last ones, and says why a picture cannot be had", async () => {
    const load = vi.fn(async (address: string) => {
      if (address === "bad") throw new Error("Frame 7 is missing");
      return picture();
    });
    const store = new FrameStore(2, load);
    await Promise.all([store.want("a"), store.want("a")]);
    expect(load).toHaveBeenCalledTimes(1);
    expect(await store.want("bad")).toBeNull();
    expect(store.problems.get("bad")).toContain("missing");
    await store.want("b");
    store.get("a");
    await store.want("c");
    expect(store.get("b")).toBeUndefined();
    expect(store.get("a")).toBeDefined();
  });
});

describe("brush", () => {
  it("falls off as the engine's does", () => {
    expect(falloff(0, 20, 0.5)).toBe(1);
    expect(falloff(10, 20, 0.5)).toBe(1);
    expect(falloff(15, 20, 0.5)).toBeCloseTo(0.5);
    expect(falloff(20, 20, 0.5)).toBe(0);
  });

  it("fetches only what strokes of this window changed", () => {
    const dirty = new Map([
      [4, { x: 10, y: 10, w: 20, h: 20 }],
      [5, { x: 40, y: 5, w: 10, h: 10 }],
    ]);
    expect(changedSince(dirty, 3, 5)).toEqual({ x: 10, y: 5, w: 40, h: 25 });
    expect(changedSince(dirty, 2, 5)).toBeNull();
  });
});
