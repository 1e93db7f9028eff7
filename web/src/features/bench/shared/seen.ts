import type { Fix } from "../../../api/client";
import type { Still } from "../viewer/room";
import type { See } from "../viewer/slice";
import { seeAddress } from "./addresses";

const WORDS: Record<Exclude<See, "picture">, string> = {
  light: "its light",
  matte: "matte",
  front: "what is in front",
};

/** What the engine sees on a frame, in place of the held picture. */
export const seen = (fix: Fix, frame: number, fixes: Fix[], see: Exclude<See, "picture">): Still => ({
  address: seeAddress(fix, frame, fixes, see),
  words: `Still ${frame}, ${WORDS[see]}`,
});
