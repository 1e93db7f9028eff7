import { expect, it } from "vitest";
import { matching } from "../features/jobs/EncodingField";

const LIST = ["sRGB", "BT.709 video (BT.1886)", "Linear Rec.709 (sRGB)", "S-Log3 S-Gamut3"].map((words) => ({ words }));

it("finds entries that hold every word, in the order of the list", () => {
  expect(matching(LIST, "709").map((entry) => entry.words)).toEqual([
    "BT.709 video (BT.1886)",
    "Linear Rec.709 (sRGB)",
  ]);
  expect(matching(LIST, "linear 709")).toEqual([LIST[2]]);
  expect(matching(LIST, "  LOG3 ")).toEqual([LIST[3]]);
  expect(matching(LIST, "")).toEqual(LIST);
  expect(matching(LIST, "log4")).toEqual([]);
});
