import { describe, expect, it, vi } from "vitest";
import { FrameStore } from "../canvas/frames";
import { falloff } from "../canvas/livestroke";
import { Player } from "../canvas/player";
import { framesOf, timecode } from "../canvas/timecode";
import { fitted, toPicture, toScreen, zoomed } from "../canvas/view";
import { changedSince } from "../features/bench/source/plate";

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

  it("goes there and back, or once", () => {
    const there = new Player(1, 4, 10, "bounce");
    there.start(1, 0);
    expect([0, 1, 2, 3, 4, 5, 6, 7].map((count) => there.ahead(count))).toEqual([1, 2, 3, 4, 3, 2, 1, 2]);
    const once = new Player(1, 4, 10, "once");
    once.start(3, 0);
    expect(once.due(150)).toMatchObject({ frame: 4, over: false });
    expect(once.due(250).over).toBe(true);
    once.start(4, 0); // at its end it begins again
    expect(once.due(0).frame).toBe(1);
  });

  it("writes and reads drop-frame timecode: ten minutes at 29.97 are 17,982 frames (SMPTE ST 12-1)", () => {
    const rate = 30000 / 1001;
    expect(timecode(17982, rate, true)).toBe("00:10:00;00");
    expect(timecode(1800, rate, true)).toBe("00:01:00;02");
    for (const frames of [0, 1799, 1800, 17981, 17982, 107892])
      expect(framesOf(timecode(frames, rate, true), rate)).toBe(frames);
    expect(framesOf("nonsense", 25)).toBeNull();
  });

  it("writes SMPTE ST 12-1 non-drop timecode", () => {
    expect(timecode(24 * 3661 + 5, 24)).toBe("01:01:01:05");
  });
});

describe("frame store", () => {
  const picture = () => ({ width: 10, height: 10, close: vi.fn() }) as unknown as ImageBitmap;

  it("asks once, keeps the last ones, and says why a picture cannot be had", async () => {
    const load = vi.fn(async (address: string) => {
      if (address === "bad") throw new Error("Frame 7 is missing");
      return picture();
    });
    const store = new FrameStore(800, load); // two pictures of 400 bytes;
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

  it("lets go of a picture that nobody wants any more", async () => {
    const stopped: string[] = [];
    const store = new FrameStore(800, (address, stop) => {
      return new Promise((_, no) =>
        stop.addEventListener("abort", () => {
          stopped.push(address);
          no(new Error("gone"));
        }),
      );
    });
    const one = store.want("x");
    void store.want("x");
    store.leave("x");
    expect(stopped).toEqual([]);
    store.leave("x");
    expect(stopped).toEqual(["x"]);
    expect(await one).toBeNull();
    expect(store.problems.has("x")).toBe(false);
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
