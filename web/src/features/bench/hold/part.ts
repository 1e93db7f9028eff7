import type { Fix, Shot } from "../../../api/client";
import type { holdChanges } from "./changes";

/** What each part of the hold is given. */
export interface PartProps {
  shot: Shot;
  fix: Fix;
  hold: NonNullable<Fix["hold"]>;
  changes: ReturnType<typeof holdChanges>;
}
