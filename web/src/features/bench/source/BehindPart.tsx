import { client, type Fix } from "../../../api/client";
import { useFixes } from "../../../api/queries";
import { Choice, Select, Slider } from "../../../ui/controls";
import type { FillProps } from "./FillPart";

const PLATE = "Take a plate for what no frame shows, and paint it in there";

/** Other frames: what lies behind, how far they may be, what fills the rest. */
export function BehindPart({ shot, fix, now, show, keep, change, hint }: FillProps & { hint: string }) {
  const fixes = useFixes(shot.id).data ?? [];
  const behind = fixes.filter((one: Fix) => one.id !== fix.id && one.hold && one.hold.kind !== "frame");
  return (
    <>
      {!fix.stands && (
        <section aria-label="What lies behind" className="flex flex-col gap-1.5">
          <p className="text-soft">
            {behind.length
              ? "Which surface lies behind? The picture is held by it, and the edge goes on riding its own hold."
              : "Circle the surface behind as a fix of its own first, or tick in Edge that the mark stands in the frame."}
          </p>
          {behind.length > 0 && (
            <Select
              label="Behind it"
              value=""
              options={[
                { value: "", words: "Choose" },
                ...behind.map((one: Fix) => ({ value: String(one.id), words: `Surface of ${one.name}` })),
              ]}
              onChange={(value) =>
                value &&
                change.mutate(({ params, version }) =>
                  client.POST("/api/fixes/{fix}/behind", { params, body: { version, other: Number(value) } }),
                )
              }
            />
          )}
          <p className="text-[11.5px] text-faint">{hint}.</p>
        </section>
      )}
      {fix.carried && <p className="text-soft">{fix.carried}</p>}
      {fix.unmasked && (
        <p role="status" className="text-noticeable">
          {fix.unmasked}
        </p>
      )}
      {fix.kept > 0 && (
        <p className="text-[11.5px] text-faint">
          What lies behind takes {Math.max(1, Math.round(fix.kept / 1e6))} MB on disk; it goes with the fix.
        </p>
      )}
      <Slider
        label="Reach"
        value={now.reach}
        min={4}
        max={240}
        words={`${now.reach} fr`}
        onChange={(reach) => show({ reach })}
        onDone={(reach) => keep({ reach })}
      />
      <Choice
        label="What no frame shows"
        wide
        value={now.rest}
        onChange={(rest) => keep({ rest })}
        options={[
          { value: "weave", words: "Weave", tip: "What no frame shows is woven from round it" },
          { value: "soak", words: "Soak", tip: "What no frame shows is filled smoothly" },
          { value: "plate", words: "Plate", tip: PLATE },
        ]}
      />
    </>
  );
}
