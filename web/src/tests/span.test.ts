import { beforeEach, describe, expect, it } from "vitest";
import { useBench } from "../features/bench/store";
import { count, moved, panTime, showing, within, zoomed, zoomTime } from "../features/bench/time/span";

const all = { first: 1001, last: 11000 };
const shot = { clip: all } as never;

describe("what the ruler shows", () => {
  it("zooms about the place under the pointer, and that frame stays there", () => {
    const near = zoomed(all, 0.5, 0.25, all);
    expect(count(near)).toBe(5000);
    expect(near.first + 0.25 * count(near)).toBeCloseTo(1001 + 2500, -1);
  });

  it("keeps within the shot and is never shorter than a dozen frames", () => {
    expect(zoomed({ first: 1001, last: 1020 }, 0.01, 0, all)).toEqual({ first: 1001, last: 1012 });
    expect(zoomed({ first: 1001, last: 1020 }, 1e9, 0.5, all)).toEqual(all);
    expect(moved({ first: 10990, last: 10999 }, 500, all)).toEqual({ first: 10991, last: 11000 });
    expect(within({ first: 0, last: 20000 }, all)).toEqual(all);
    const short = { first: 1, last: 5 };
    expect(zoomed(short, 0.1, 0.5, short)).toEqual(short);
  });

  it("follows the frame by pages, and stands still while it is inside", () => {
    const span = { first: 2000, last: 2099 };
    expect(showing(span, 2050, all)).toBe(span);
    const next = showing(span, 2100, all);
    expect(next.first).toBeLessThanOrEqual(2100);
    expect(next.last).toBeGreaterThan(2150);
    expect(showing(span, 1999, all).last).toBeGreaterThanOrEqual(1999);
    expect(showing(span, 1001, all).first).toBe(1001);
  });
});

describe("the store's span", () => {
  beforeEach(() => useBench.setState({ span: null, frame: 5000 }));

  it("zooms in about the frame and out to all of the shot", () => {
    zoomTime(shot, 0.1);
    const span = useBench.getState().span!;
    expect(count(span)).toBe(1000);
    expect(span.first).toBeLessThanOrEqual(5000);
    expect(span.last).toBeGreaterThanOrEqual(5000);
    panTime(shot, 0.5);
    expect(useBench.getState().span!.first).toBe(span.first + 500);
    zoomTime(shot, 1000);
    expect(useBench.getState().span).toBeNull();
    panTime(shot, 1); // nothing to move along
    expect(useBench.getState().span).toBeNull();
  });
});
