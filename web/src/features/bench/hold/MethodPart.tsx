import { useRef } from "react";
import { csrf, type Fix, type Method } from "../../../api/client";
import { keepFix, send } from "../../../api/queries";
import { Button, Check, Choice, Select, Slider } from "../../../ui/controls";
import { say } from "../../../ui/messages";
import { useBench } from "../store";
import { isPointed, redraft, TOOK, wanted } from "./draft";
import type { PartProps } from "./part";

const MOTIONS: { value: Method["motion"]; words: string; tip: string }[] = [
  { value: "shift", words: "Shift", tip: "It only moves" },
  { value: "similarity", words: "Turn", tip: "It also turns and changes size" },
  { value: "affine", words: "Shear", tip: "It also slants" },
  { value: "perspective", words: "All", tip: "It also turns away from the lens: perspective" },
];

const AUTO = "auto: what fits";
const SURFACES: Record<string, { spacing: number; stiffness: number } | null> = {
  "cloth: fine folds": { spacing: 28, stiffness: 1 },
  "skin: soft bends": { spacing: 40, stiffness: 2 },
  "gloss: smooth curves": { spacing: 72, stiffness: 1 },
  "my own": null,
};

/** How the surface may move and bend, and how the footage is prepared for the tracker. */
export function MethodPart({ fix, hold }: PartProps) {
  const { draft, sight, set } = useBench();
  const { method } = wanted(fix, draft)!;
  const change = (part: Partial<Method>) => redraft(fix, (now) => ({ method: { ...now.method, took: "", ...part } }));
  const auto = method.kind === "auto" || !!method.took;
  const prep = (part: Partial<Method["prep"]>) => change({ prep: { ...method.prep, ...part } });
  const own =
    Object.entries(SURFACES).find(
      ([, one]) => one && one.spacing === method.spacing && one.stiffness === method.stiffness,
    )?.[0] ?? "my own";
  return (
    <>
      {!isPointed(method.kind) && (
        <Select
          label="Surface"
          value={auto ? AUTO : method.kind === "planar" ? "plane: flat" : own}
          options={[AUTO, "plane: flat", ...Object.keys(SURFACES)]}
          onChange={(name) =>
            change(
              name === AUTO
                ? { kind: "auto" }
                : name === "plane: flat"
                  ? { kind: "planar" }
                  : { kind: "mesh", ...(SURFACES[name] ?? {}) },
            )
          }
        />
      )}
      {method.took && <p className="text-[11.5px] text-faint">It tried them here and took {TOOK[method.took]}.</p>}
      {method.kind === "planar" && (
        <Choice label="Motion" wide value={method.motion} onChange={(motion) => change({ motion })} options={MOTIONS} />
      )}
      {method.kind === "mesh" && (
        <>
          <Slider
            label="Mesh"
            value={method.spacing}
            min={16}
            max={120}
            words={`${Math.round(method.spacing)} px`}
            onChange={(spacing) => change({ spacing })}
          />
          <Slider
            label="Stiffness"
            value={Math.round(10 * Math.log10(method.stiffness))}
            min={-10}
            max={20}
            words={`× ${method.stiffness < 1 ? method.stiffness.toFixed(1) : method.stiffness.toFixed(0)}`}
            onChange={(value) => change({ stiffness: Math.round(10 ** (value / 10) * 100) / 100 })}
          />
        </>
      )}
      {isPointed(method.kind) && (
        <p className="text-[11.5px] text-faint">
          On {hold.anchor}, drag the window or its corners; the outer box is how far it looks for it from frame to
          frame, {method.search.map(Math.round).join(" × ")} px.
        </p>
      )}
      <label
        className="flex items-center gap-2 text-soft"
        title="For a mark that is steadier once the fixes below are laid in"
      >
        <input
          type="checkbox"
          checked={method.reads === "below"}
          onChange={(event) => change({ reads: event.target.checked ? "below" : "shot" })}
          className="accent-[#b9a8f2]"
        />
        Measure on the result of the fixes below
      </label>
      <label className="flex items-center gap-2 text-soft">
        <input
          type="checkbox"
          checked={method.renew}
          onChange={(event) => change({ renew: event.target.checked })}
          className="accent-[#b9a8f2]"
        />
        Renew the template where it changes its look
      </label>
      <Check
        words="Look for the mark where the ground slips"
        on={method.seeks ?? true}
        set={(seeks) => change({ seeks, took: method.took })}
      />
      {method.kind !== "planar" && !isPointed(method.kind) && (
        <Check
          words="Follow a stiff body where it turns away"
          on={method.body ?? true}
          set={(body) => change({ body, took: method.took })}
        />
      )}
      <div className="stitch-t flex flex-col gap-1 pt-2">
        <div className="flex items-center justify-between">
          <span className="text-soft">For the tracker only</span>
          <Button tip="Black is not read" onClick={() => set({ sight: !sight, main: "shot" })} aria-pressed={sight}>
            {sight ? "See the footage" : "See what it sees"}
          </Button>
        </div>
        <Choice
          label="Channel for the tracker"
          wide
          value={method.prep.channel}
          onChange={(channel) => prep({ channel })}
          options={[
            { value: "luma", words: "Luma" },
            { value: "r", words: "R" },
            { value: "g", words: "G" },
            { value: "b", words: "B" },
          ]}
        />
        <Prep label="Degrain" value={method.prep.degrain} max={3} onChange={(degrain) => prep({ degrain })} />
        <Prep label="Blur" value={method.prep.blur} max={8} unit=" px" onChange={(blur) => prep({ blur })} />
        <Prep label="Sharpen" value={method.prep.sharpen} max={3} onChange={(sharpen) => prep({ sharpen })} />
        <Prep label="Contrast" value={method.prep.contrast} max={1} onChange={(contrast) => prep({ contrast })} />
        <Prep label="Gamma" value={method.prep.gamma} min={0.2} max={5} onChange={(gamma) => prep({ gamma })} />
      </div>
      <Tracks fix={fix} hold={hold.id} />
    </>
  );
}

interface PrepProps {
  label: string;
  value: number;
  min?: number;
  max: number;
  unit?: string;
  onChange: (value: number) => void;
}

const Prep = ({ label, value, min = 0, max, unit = "", onChange }: PrepProps) => (
  <Slider
    label={label}
    value={value}
    min={min}
    max={max}
    step={max / 40}
    words={value === 0 ? "off" : `${value.toFixed(1)}${unit}`}
    onChange={(next) => onChange(Math.round(next * 1000) / 1000)}
  />
);

const FORMS = [
  { file: "hold.json", words: "Everything" },
  { file: "points.csv", words: "Points" },
  { file: "matrices.json", words: "Matrices" },
];

/** The hold out to other programs, and a point track in. */
function Tracks({ fix, hold }: { fix: Fix; hold: number }) {
  const picker = useRef<HTMLInputElement>(null);
  const frame = useBench((state) => state.frame);
  const bring = async (file: File) => {
    const data = new FormData();
    data.set("version", String(fix.version));
    data.set("anchor", String(frame));
    data.set("file", file);
    try {
      keepFix(await send<Fix>(`/api/fixes/${fix.id}/import-track`, data));
    } catch (problem) {
      say((problem as Error).message);
    }
  };
  return (
    <div className="stitch-t flex flex-col gap-1.5 pt-2">
      <div className="flex items-center justify-between">
        <span className="text-soft">Track out</span>
        {FORMS.map(({ file, words }) => (
          <a key={file} className="text-thread" href={`/api/holds/${hold}/tracks/${file}`} download>
            {words}
          </a>
        ))}
      </div>
      <input
        ref={picker}
        type="file"
        accept=".csv,text/csv"
        aria-label="Track file"
        className="hidden"
        onChange={(event) => {
          const file = event.target.files?.[0];
          event.target.value = "";
          if (file) void bring(file);
        }}
      />
      <Button
        tip={`A CSV with frame, x and y becomes a point hold; ${frame} becomes its anchor`}
        disabled={!csrf()}
        onClick={() => picker.current?.click()}
      >
        Bring a track in
      </Button>
    </div>
  );
}
