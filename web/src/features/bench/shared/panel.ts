import type { useChange } from "../../../api/changes";
import type { Fix, Shot } from "../../../api/client";

/** One change of a fix at a time, each on its newest version. */
export type Change = ReturnType<typeof useChange>;

/** What a stage's panel and its parts are given. */
export interface PanelProps {
  shot: Shot;
  fix: Fix;
  change: Change;
}
