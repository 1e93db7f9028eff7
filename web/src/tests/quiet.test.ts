import { describe, expect, it } from "vitest";
import type { Fix } from "../api/client";
import { newest } from "../api/queries";
import { QuietLoader } from "../canvas/quiet";

describe("pictures that may wait", () => {
  it("load a few at a time and drop what is no longer wanted", async () => {
    const asked: string[] = [];
    const answers = new Map<string, (blob: Blob) => void>();
    const loader = new QuietLoader(2, (address) => {
      asked.push(address);
      return new Promise((done) => answers.set(address, done));
    });
    const seen: string[] = [];
    const wishes = ["a", "b", "c", "d"].map((name) => loader.want(name, () => seen.push(name)));
    expect(asked).toEqual(["a", "b"]);
    wishes[2]!.leave(); // not yet asked for: never is
    wishes[0]!.leave(); // under way: its answer is not used
    answers.get("a")!(new Blob());
    answers.get("b")!(new Blob());
    await new Promise((done) => setTimeout(done, 0));
    expect(asked).toEqual(["a", "b", "d"]);
    expect(seen).toEqual(["b"]);
  });

  it("a failure frees its place", async () => {
    const loader = new QuietLoader(1, (address) =>
      address === "bad" ? Promise.reject(new Error("500")) : Promise.resolve(new Blob()),
    );
    const seen: (Blob | null)[] = [];
    loader.want("bad", (blob) => seen.push(blob));
    loader.want("good", (blob) => seen.push(blob));
    await new Promise((done) => setTimeout(done, 5));
    expect(seen[0]).toBeNull();
    expect(seen[1]).toBeInstanceOf(Blob);
  });
});

describe("a late list of fixes", () => {
  it("does not take a newer change back", () => {
    const fix = (id: number, version: number) => ({ id, version }) as Fix;
    expect(newest([fix(1, 3), fix(2, 8)], [fix(1, 4), fix(2, 7)]).map((f) => f.version)).toEqual([4, 8]);
    expect(newest([fix(1, 3)], undefined)).toHaveLength(1);
  });
});
