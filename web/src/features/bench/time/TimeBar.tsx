import type { Fix, Shot } from "../../../api/client";
import { useBench } from "../store";
import { Cached } from "./Cached";
import { Ribbon, TellRibbons } from "./Ribbons";
import { Ruler } from "./Ruler";
import { Strip } from "./Strip";
import { GUTTER } from "./scrub";
import { Figures, Transport } from "./Transport";

/** Time: transport, ruler, the drift ribbon, the tells and the strip of crops. */

export function TimeBar({ shot, fix, fixes }: { shot: Shot; fix: Fix | null; fixes: Fix[] }) {
  const { clip } = shot;
  const frame = useBench((state) => state.frame);
  return (
    <section aria-label="Time" className="stitch-t flex shrink-0 flex-col gap-1.5 py-2 pr-3">
      <div className="flex items-end">
        <div className={`${GUTTER} flex items-center gap-0.5 px-2`}>
          <Transport shot={shot} />
        </div>
        <Ruler
          first={clip.first}
          last={clip.last}
          frame={frame}
          plates={fix?.plates ?? []}
          chosen={fix?.plate?.id}
          hold={fix?.hold ?? null}
        >
          <Cached shot={shot} fixes={fixes} />
        </Ruler>
      </div>
      <div className="flex items-center">
        <div className={`${GUTTER} flex items-center gap-3 px-3`}>
          <Figures shot={shot} />
        </div>
        <Ribbon first={clip.first} last={clip.last} fix={fix} frame={frame} />
      </div>
      {fix && !fix.lacks && <TellRibbons fix={fix} first={clip.first} last={clip.last} />}
      {fix?.hold && fix.edge.nodes.length > 0 && <Strip shot={shot} fix={fix} fixes={fixes} frame={frame} />}
    </section>
  );
}
