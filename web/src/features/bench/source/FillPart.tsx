import { useEffect, useState } from "react";
import { Choice, Slider } from "../../../ui/controls";
import type { PanelProps } from "../shared/panel";
import { WayPicker } from "../shared/WayPicker";
import { BehindPart } from "./BehindPart";
import { BorrowPart } from "./BorrowPart";
import { keepFill } from "./changes";
import { PullPart } from "./PullPart";
import { WeavePart } from "./WeavePart";
import { type Fill, KINDS, type Kind } from "./ways";

/** What a kind's own controls are given: the fill as it is dragged, and the way to keep a part of it. */
export interface FillProps extends PanelProps {
  now: Fill;
  show: (part: Partial<Fill>) => void;
  keep: (part: Partial<Fill>, donor?: number | null) => void;
}

const STANDS = "For what stands in the frame, or is carried over a surface behind it";
const RIDES = "The mark does not ride one surface here: fill it from other frames";

/** A fill's kind and its few controls. */
export function FillPart(props: PanelProps) {
  const { fix, change } = props;
  const [now, setNow] = useState<Fill>(fix.fill);
  useEffect(() => setNow(fix.fill), [fix.fill]);
  const keep = (part: Partial<Fill>, donor: number | null = fix.donor) => {
    setNow({ ...now, ...part });
    keepFill(change, fix, { ...now, ...part }, donor);
  };
  const show = (part: Partial<Fill>) => setNow({ ...now, ...part });
  const own = { ...props, now, show, keep };
  const why = (kind: Kind) => {
    if (kind === "other frames") return "";
    return fix.stands ? RIDES : "";
  };
  return (
    <>
      <WayPicker
        label="Kind of fill"
        value={now.kind}
        ways={KINDS}
        disabled={why}
        onChange={(kind) => keep({ kind })}
      />
      {now.kind === "contour" && (
        <Choice
          label="How lines are carried"
          wide
          value={now.way}
          onChange={(way) => keep({ way })}
          options={[
            { value: "flow", words: "Flowing", tip: "Lines bend and run out softly" },
            { value: "march", words: "Straight on", tip: "Rim by rim inwards, firmer" },
          ]}
        />
      )}
      {now.kind === "pull" && <PullPart {...own} />}
      {now.kind === "weave" && <WeavePart {...own} />}
      {now.kind === "borrow" && <BorrowPart {...own} />}
      {now.kind === "other frames" && <BehindPart {...own} hint={STANDS} />}
      {now.kind !== "borrow" && now.kind !== "other frames" && (
        <Slider
          label="Smooth"
          value={now.smooth}
          min={0}
          max={40}
          words={`${Math.round(now.smooth)} px`}
          onChange={(smooth) => show({ smooth })}
          onDone={(smooth) => keep({ smooth })}
        />
      )}
    </>
  );
}
