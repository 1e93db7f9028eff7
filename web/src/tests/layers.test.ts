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
