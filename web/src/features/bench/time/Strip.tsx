import type { Fix, Shot } from "../../../api/client";
import { cropAddress } from "../shared/addresses";
import { Crop } from "../shared/Crop";
import { isHeld } from "../shared/holds";
import { useBench } from "../store";
import { GUTTER } from "./scrub";
import { count, useSpan } from "./span";

const STRIP = 12;
const TALL = 44; // px of a crop
export const STRIP_TALL = 2 * TALL + 2;

/** The spot cut out at even steps through what is shown, before above after: what pops stands out without playing. */
export function Strip({ shot, fix, fixes }: { shot: Shot; fix: Fix; fixes: Fix[] }) {
  const set = useBench((state) => state.set);
  const frame = useBench((state) => state.frame);
  const span = useSpan(shot);
  const total = count(span);
  const frames = Array.from({ length: STRIP }, (_, k) => span.first + Math.floor(((k + 0.5) * total) / STRIP));
  return (
    <div className="flex items-stretch">
      <div className={`${GUTTER} flex flex-col justify-around pr-3 text-right text-soft`}>
        <span>before</span>
        <span>after</span>
      </div>
      <div className="grid flex-1 grid-cols-12 gap-0.5">
        {frames.map((n, k) => (
          <button
            // biome-ignore lint/suspicious/noArrayIndexKey: places in the strip, whatever frame they show
            key={k}
            type="button"
            aria-label={`Go to ${n}`}
            onClick={() => set({ frame: n, playing: false })}
            className={`flex flex-col gap-0.5 ${Math.abs(n - frame) < total / STRIP / 2 ? "outline outline-1 outline-thread" : ""}`}
          >
            {[false, true].map((after) =>
              fix.hold && isHeld(fix.hold, n) && !(after && fix.lacks) ? (
                <Crop
                  key={String(after)}
                  words={`${after ? "after" : "before"} ${n}`}
                  address={cropAddress(fix, shot, n, fixes, after)}
                  delay={after ? 250 : 0}
                  tall={TALL}
                />
              ) : (
                <span key={String(after)} className="w-full bg-felt-2" style={{ height: TALL }} />
              ),
            )}
          </button>
        ))}
      </div>
    </div>
  );
}
