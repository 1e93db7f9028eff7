import type { Fix } from "../../../api/client";
import { useEvidence } from "../../../api/queries";

/** How much of the picture shows through the mark, as it was read from the shot; or that nothing does. */
export function UnveilPart({ fix }: { fix: Fix }) {
  const said = useEvidence(fix).data;
  if (!said?.settled)
    return (
      <p role="status" className="text-soft">
        Reading what shows through the mark, from frames all over the shot.
      </p>
    );
  if (!said.veil)
    return (
      <p role="status" className="text-noticeable">
        Nothing see-through that stands in the frame was found within the edge. Draw it round all of the mark with a
        little room, or choose another source.
      </p>
    );
  if (said.stained)
    return (
      <p role="status" className="text-noticeable">
        {Math.round(100 * said.veil)} % of the picture shows through it, but not all of the mark comes off: a stain of
        its colour or tone stays. Draw the edge with more room round it, or try another source.
      </p>
    );
  return (
    <p role="status" className="text-soft">
      {Math.round(100 * said.veil)} % of the picture shows through it. Each frame keeps its own light, texture and
      grain.
    </p>
  );
}
