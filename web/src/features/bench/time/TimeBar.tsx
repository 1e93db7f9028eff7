import type { Fix, Shot } from "../../../api/client";
import { Cached } from "./Cached";
import { Overview } from "./Overview";
import { DriftHere, Ribbon, TellRibbons } from "./Ribbons";
import { Ruler } from "./Ruler";
import { STRIP_TALL, Strip } from "./Strip";
import { GUTTER } from "./scrub";
import { useFollow } from "./span";
import { Figures, Transport } from "./Transport";

/** Time: transport, ruler, the drift ribbon, the tells and the strip of crops. Its height is the same from the start. */
export function TimeBar({ shot, fix, fixes }: { shot: Shot; fix: Fix | null; fixes: Fix[] }) {
  useFollow(shot);
  return (
    <section aria-label="Time" className="stitch-t flex shrink-0 flex-col gap-1 py-1.5 pr-3">
      <div className="flex items-end">
        <div className={`${GUTTER} flex items-center gap-0.5 px-2`}>
          <Transport shot={shot} />
        </div>
        <div className="min-w-0 flex-1">
          <Overview shot={shot} fixes={fixes} />
          <Ruler shot={shot} plates={fix?.plates ?? []} chosen={fix?.plate?.id} hold={fix?.hold ?? null}>
            <Cached shot={shot} fixes={fixes} />
          </Ruler>
        </div>
      </div>
      <div className="flex items-center">
        <div className={`${GUTTER} pr-3`}>
          <DriftHere fix={fix} />
        </div>
        <Ribbon shot={shot} fix={fix} />
      </div>
      <TellRibbons shot={shot} fix={fix}>
        <Figures shot={shot} />
      </TellRibbons>
      <div style={{ height: STRIP_TALL }}>
        {fix?.hold && fix.edge.nodes.length > 0 ? (
          <Strip shot={shot} fix={fix} fixes={fixes} />
        ) : (
          <p className={`ml-[206px] grid h-full place-items-center rounded-md bg-felt-2/40 text-faint`}>
            The mark through the shot, before and after, shows here once something is circled.
          </p>
        )}
      </div>
    </section>
  );
}
