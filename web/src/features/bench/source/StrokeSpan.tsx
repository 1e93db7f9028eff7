import type { StrokeRow } from "../../../api/client";
import { Button } from "../../../ui/controls";
import { useBench } from "../store";

const FAR = 2 ** 31 - 1;

interface Props {
  stroke: StrokeRow;
  keep: (span: [number, number] | null) => void;
}

/** The frames on which a stroke is redone: all of them, or a stretch that begins or ends where the shot stands. */
export function StrokeSpan({ stroke, keep }: Props) {
  const frame = useBench((state) => state.frame);
  const [first, last] = stroke.span ?? [-FAR, FAR];
  return (
    <div className="flex flex-wrap items-center gap-1">
      <Button tip="It is redone from this frame on" onClick={() => keep([frame, Math.max(frame, last)])}>
        From {frame}
      </Button>
      <Button tip="It is redone up to this frame" onClick={() => keep([Math.min(frame, first), frame])}>
        To {frame}
      </Button>
      {stroke.span && <Button onClick={() => keep(null)}>All frames</Button>}
      <span className="text-[11.5px] text-faint">{spanWords(stroke)}</span>
    </div>
  );
}

/** A stroke's frames in words. */
export function spanWords({ span }: StrokeRow): string {
  if (!span) return "on all frames";
  const [first, last] = span;
  if (first <= -FAR) return `up to ${last}`;
  return last >= FAR ? `from ${first} on` : `on ${first} to ${last}`;
}
