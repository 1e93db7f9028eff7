import { Button, Choice } from "../../../ui/controls";
import type { FillProps } from "./FillPart";

const ACROSS = 0; // degrees: to the right
type Side = "-1" | "0" | "1";

/** Pull: from all sides, or along an arrow that is turned on the picture. */
export function PullPart({ fix, now, keep }: FillProps) {
  const line = fix.edge.outlines.some((one) => one.width);
  const turned = now.direction !== null && now.direction !== undefined;
  return (
    <>
      <Choice
        label="Where it is pulled from"
        wide
        value={turned ? "arrow" : "all"}
        onChange={(value) => keep({ direction: value === "all" ? null : ACROSS })}
        options={[
          {
            value: "all",
            words: line ? "Across the line" : "All sides",
            tip: line ? "Over the line's width, wherever it runs" : "The rim is drawn inwards until the spot is gone",
          },
          { value: "arrow", words: "Along an arrow" },
        ]}
      />
      {turned && (
        <div className="flex items-center gap-1.5">
          <Button tip="The other way" onClick={() => keep({ direction: ((now.direction ?? 0) + 180) % 360 })}>
            Turn round
          </Button>
          <span className="figure text-soft">{Math.round(now.direction ?? 0)}°</span>
        </div>
      )}
      {(turned || line) && (
        <Choice
          label="Which side"
          wide
          value={String(Math.round(now.side)) as Side}
          onChange={(side) => keep({ side: Number(side) })}
          options={[
            { value: "-1", words: "Behind", tip: "Only what lies behind the arrow" },
            { value: "0", words: "Both", tip: "Both, each by how near it is" },
            { value: "1", words: "Ahead", tip: "Only what lies ahead of the arrow" },
          ]}
        />
      )}
    </>
  );
}
