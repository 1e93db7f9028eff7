import { useState } from "react";
import { client } from "../../../api/client";
import { Button } from "../../../ui/controls";
import type { PanelProps } from "../shared/panel";
import type { Source } from "./ways";

const WHAT_NEXT: Partial<Record<Source, string>> = {
  replace: "Keep it, try another, or paint over it.",
  unveil: "Keep it, or choose another source.",
};

/** What was proposed without a stroke of the artist's, until it is kept or touched; or the way to have something proposed. */
export function Proposed({ fix, change }: Pick<PanelProps, "fix" | "change">) {
  const [busy, setBusy] = useState(false);
  const propose = () => {
    setBusy(true);
    change.mutate(({ params, version }) => client.POST("/api/fixes/{fix}/propose", { params, body: { version } }), {
      onSettled: () => setBusy(false),
    });
  };
  const keep = () =>
    change.mutate(({ params, version }) => client.POST("/api/fixes/{fix}/keep", { params, body: { version } }));
  if (!fix.proposed && (fix.plates.length > 0 || fix.stands || !fix.hold)) return null;
  if (!fix.proposed)
    return (
      <Button look="dashed" disabled={busy} tip="Heals the mark from the best place beside it" onClick={propose}>
        {busy ? "Looking beside it" : "Propose a retouch"}
      </Button>
    );
  return (
    <section aria-label="Proposed" className="flex flex-col gap-1.5 rounded-md border border-thread/60 p-2">
      <p role="status">
        <b className="font-medium text-thread">Proposed</b>: {busy ? "looking for another place" : fix.proposed}.{" "}
        {WHAT_NEXT[fix.source] ?? "Keep it, or take a plate for what it does not get right."}
      </p>
      <div className="flex gap-1.5">
        <Button disabled={busy} onClick={keep}>
          Keep it
        </Button>
        {fix.source === "replace" && (
          <Button disabled={busy} tip="Heal it from another place beside it" onClick={propose}>
            Try another
          </Button>
        )}
      </div>
    </section>
  );
}
