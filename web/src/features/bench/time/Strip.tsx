import type { Fix, Shot } from "../../../api/client";
import { Crop } from "../Crop";
import { cropAddress, isHeld } from "../model";
import { useBench } from "../store";
import { GUTTER } from "./scrub";

const STRIP = 12;

export function Strip({ shot, fix, fixes, frame }: { shot: Shot; fix: Fix; fixes: Fix[]; frame: number }) {
  const set = useBench((state) => state.set);
  const { first, last } = shot.clip;
  const total = last - first + 1;
  const frames = Array.from({ length: STRIP }, (_, k) => first + Math.floor(((k + 0.5) * total) / STRIP));
  return (
    <div className="flex items-stretch">
      <div className={`${GUTTER} flex flex-col justify-around pr-3 text-right text-soft`}>
        <span>before</span>
        <span>after</span>
      </div>
      <div className="grid flex-1 grid-cols-12 gap-0.5">
        {frames.map((n) => (
          <button
            key={n}
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
                />
              ) : (
                <span key={String(after)} className="h-[42px] w-full bg-felt-2" />
              ),
            )}
          </button>
        ))}
      </div>
    </div>
  );
}
