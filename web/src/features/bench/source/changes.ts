import { client, type Fix } from "../../../api/client";
import type { Change } from "../shared/panel";
import type { Fill, Soften } from "./ways";

/** Keep a fill; it becomes the source. `donor`: the fix whose hold carries what is borrowed. */
export function keepFill(change: Change, fix: Fix, part: Partial<Fill>, donor: number | null = fix.donor) {
  const fill = { ...fix.fill, ...part, donor_hold: null };
  change.mutate(({ params, version }) =>
    client.PATCH("/api/fixes/{fix}/fill", { params, body: { version, fill, donor } }),
  );
}

/** Keep how it is softened; it becomes the source. */
export function keepSoften(change: Change, fix: Fix, part: Partial<Soften>) {
  const soften = { ...fix.soften, ...part };
  change.mutate(({ params, version }) =>
    client.PATCH("/api/fixes/{fix}/soften", { params, body: { version, soften } }),
  );
}
