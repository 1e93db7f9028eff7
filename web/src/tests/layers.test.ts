import { readdirSync, readFileSync } from "node:fs";
import { dirname, join, relative, resolve } from "node:path";
import { expect, it } from "vitest";

const SRC = resolve(__dirname, "..");
/** What each layer may import, besides itself. */
const MAY: Record<string, string[]> = {
  geometry: [],
  ui: ["api"],
  api: [],
  canvas: ["geometry"],
  features: ["api", "canvas", "geometry", "ui"],
  app: ["api", "ui", "features"],
};
const PURE = ["geometry", "canvas"];

function files(folder: string): string[] {
  return readdirSync(folder, { withFileTypes: true }).flatMap((entry) =>
    entry.isDirectory()
      ? files(join(folder, entry.name))
      : /\.tsx?$/.test(entry.name)
        ? [join(folder, entry.name)]
        : [],
  );
}

it("layers import downwards only, and features never each other", () => {
  const wrong: string[] = [];
  for (const file of files(SRC)) {
    const [layer, feature] = relative(SRC, file).split("/");
    const may = MAY[layer!];
    if (!may) continue;
    for (const [, from] of readFileSync(file, "utf8").matchAll(/from "([^"]+)"/g)) {
      const place = relative(SRC, from!.startsWith(".") ? resolve(dirname(file), from!) : join(SRC, "packages", from!));
      const [target, other] = place.split("/");
      if (target === "packages") {
        if (PURE.includes(layer!)) wrong.push(`${relative(SRC, file)} imports ${from}`);
      } else if (target !== layer ? !may.includes(target!) : layer === "features" && other !== feature)
        wrong.push(`${relative(SRC, file)} imports ${from}`);
    }
  }
  expect(wrong).toEqual([]);
});

/** What each file of ours imports, for running code (types alone make no circle). */
function arrows(): Map<string, string[]> {
  const all = files(SRC);
  const known = new Set(all);
  const found = new Map<string, string[]>();
  for (const file of all) {
    const targets: string[] = [];
    for (const [, kind, from] of readFileSync(file, "utf8").matchAll(
      /(?:^|\n)(?:import|export)( type)?[^;]*? from "(\.[^"]+)"/g,
    )) {
      const place = resolve(dirname(file), from!);
      const target = [".ts", ".tsx", "/index.ts"].map((end) => place + end).find((path) => known.has(path));
      if (target && !kind) targets.push(target);
    }
    found.set(file, targets);
  }
  return found;
}

it("no files import each other in a circle", () => {
  const from = arrows();
  const done = new Set<string>();
  const circles: string[] = [];
  const walk = (file: string, path: string[]): void => {
    if (path.includes(file)) {
      circles.push([...path.slice(path.indexOf(file)), file].map((one) => relative(SRC, one)).join(" -> "));
      return;
    }
    if (done.has(file)) return;
    for (const target of from.get(file) ?? []) walk(target, [...path, file]);
    done.add(file);
  };
  for (const file of from.keys()) walk(file, []);
  expect(from.size).toBeGreaterThan(50);
  expect(circles).toEqual([]);
});

/** What each room of the bench may import besides itself; the bench's own files put them together. */
const SHARED = ["shared", "store", "viewer"];
const ROOMS: Record<string, string[]> = {
  shared: ["store", "viewer", "compare"],
  viewer: ["store", "shared", "compare"],
  compare: ["store"],
  deliver: [],
  fixes: SHARED,
  hold: SHARED,
  edge: SHARED,
  source: SHARED,
  match: SHARED,
  check: SHARED,
  time: [...SHARED, "compare"],
};

it("no stage of the bench knows another, and the viewer knows none", () => {
  const bench = join(SRC, "features/bench");
  const wrong: string[] = [];
  for (const file of files(bench)) {
    const room = relative(bench, file).split("/")[0]!;
    const may = ROOMS[room];
    if (!may) continue;
    for (const [, from] of readFileSync(file, "utf8").matchAll(/from "(\.[^"]+)"/g)) {
      const [target] = relative(bench, resolve(dirname(file), from!)).split("/");
      if (target !== ".." && target !== room && !may.includes(target!))
        wrong.push(`${relative(bench, file)} imports ${from}`);
    }
  }
  expect(wrong).toEqual([]);
});

it("no file is too long to hold in the head", () => {
  const long = files(SRC)
    .filter((file) => !file.endsWith("generated.ts"))
    .map((file) => [relative(SRC, file), readFileSync(file, "utf8").split("\n").length] as const)
    .filter(([, lines]) => lines > 300);
  expect(long).toEqual([]);
});
