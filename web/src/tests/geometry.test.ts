import { describe, expect, it } from "vitest";
import { meshMap, planarMap } from "../geometry/holdmap";
import { homographyOf } from "../geometry/homography";
import { flatten, gripAt, moved, nearest, onCubic, type PathNode, segment, split } from "../geometry/path";
import { bounds, inside, keyedShape } from "../geometry/shapes";
import reference from "./reference.json";

describe("hold maps agree with the reference that the engine is tested against", () => {
  for (const item of reference.maps)
    it(item.name, () => {
      const map = item.grid ? meshMap(item.grid, item.params) : planarMap(item.params);
      item.still.forEach(([x, y], i) => {
        const there = map.forward({ x: x!, y: y! });
        expect(there.x).toBeCloseTo(item.frame[i]![0]!, 4);
        expect(there.y).toBeCloseTo(item.frame[i]![1]!, 4);
        const back = map.inverse(there);
        expect(back.x).toBeCloseTo(x!, 2);
        expect(back.y).toBeCloseTo(y!, 2);
      });
    });
});

const nodes = reference.path.nodes as PathNode[];

describe("paths", () => {
  it("flatten to the area of the circle that they stand for", () => {
    const polygon = flatten(nodes);
    const twice = polygon.reduce((sum, p, i) => {
      const q = polygon[(i + 1) % polygon.length]!;
      return sum + p.x * q.y - q.x * p.y;
    }, 0);
    expect(Math.abs(twice) / 2 / reference.path.area).toBeCloseTo(1, 2);
  });

  it("keep their outline when a point is added (de Casteljau)", () => {
    const more = split(nodes, 1, 0.3);
    expect(more).toHaveLength(5);
    const before = onCubic(segment(nodes, 1), 0.65);
    const after = onCubic(segment(more, 2), (0.65 - 0.3) / 0.7);
    expect(after.x).toBeCloseTo(before.x, 9);
    expect(after.y).toBeCloseTo(before.y, 9);
  });

  it("keep a handle's partner in line unless it is broken off", () => {
    const pulled = moved(nodes, { kind: "out", index: 0 }, { x: 70, y: 30 }, false)[0]!;
    expect(pulled.into.x * pulled.out.y - pulled.into.y * pulled.out.x).toBeCloseTo(0, 9);
    const broken = moved(nodes, { kind: "out", index: 0 }, { x: 70, y: 30 }, true)[0]!;
    expect(broken.into).toEqual(nodes[0]!.into);
  });

  it("find the point under the pointer and the nearest place", () => {
    expect(gripAt(nodes, { x: 51, y: 12 }, 5, null)).toEqual({ kind: "node", index: 0 });
    expect(gripAt(nodes, { x: 72, y: 10 }, 5, 0)).toEqual({ kind: "out", index: 0 });
    expect(gripAt(nodes, { x: 72, y: 10 }, 5, null)).toBeNull();
    expect(nearest(nodes, { x: 50, y: 4 }).far).toBeCloseTo(6, 1);
  });
});

describe("shapes keyed over time agree with the engine's", () => {
  const { keys, boxes, absent } = reference.keyed;
  it("move evenly between their keys", () => {
    for (const [frame, box] of Object.entries(boxes)) {
      const { left, top, right, bottom } = bounds(keyedShape(keys, Number(frame))!);
      [left, top, right, bottom].forEach((value, k) => {
        expect(value).toBeCloseTo(box[k]!, 2);
      });
    }
  });
  it("are there from the first key to the last", () => {
    for (const frame of absent) expect(keyedShape(keys, frame)).toBeNull();
    expect(keyedShape([keys[0]!], 7)).toHaveLength(4);
  });
});

describe("a plane dragged by its corners", () => {
  const flat = reference.maps.find((item) => !item.grid)!;
  const points = (list: number[][]) => list.map(([x, y]) => ({ x: x!, y: y! }));
  it("is the homography of the reference", () => {
    const found = homographyOf(points(flat.still).slice(0, 4), points(flat.frame).slice(0, 4))!;
    const map = planarMap(found);
    points(flat.still).forEach((p, k) => {
      const there = map.forward(p);
      expect(there.x).toBeCloseTo(flat.frame[k]![0]!, 3);
      expect(there.y).toBeCloseTo(flat.frame[k]![1]!, 3);
    });
  });
  it("is refused when its corners lie on a line", () => {
    const line = [0, 1, 2, 3].map((k) => ({ x: k, y: k }));
    expect(homographyOf(line, line)).toBeNull();
  });
});

describe("inside", () => {
  it("tells a hollow from the shape round it", () => {
    const hook = [
      [0, 0],
      [10, 0],
      [10, 10],
      [8, 10],
      [8, 2],
      [0, 2],
    ].map(([x, y]) => ({ x: x!, y: y! }));
    expect(inside(hook, { x: 5, y: 1 })).toBe(true);
    expect(inside(hook, { x: 5, y: 6 })).toBe(false);
  });
});
