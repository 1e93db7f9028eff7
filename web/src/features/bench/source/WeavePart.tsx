import { Button, Slider } from "../../../ui/controls";
import { useBench } from "../store";
import type { FillProps } from "./FillPart";

const ANSWERS = 1000;

/** Weave: the patches' size, where they come from, another answer. */
export function WeavePart({ now, show, keep }: FillProps) {
  const { tool, set } = useBench();
  const drawing = tool === "weavePlace";
  return (
    <>
      <Slider
        label="Patches"
        value={now.patch}
        min={7}
        max={41}
        step={2}
        words={`${now.patch} px`}
        onChange={(patch) => show({ patch })}
        onDone={(patch) => keep({ patch })}
      />
      <div className="flex flex-wrap gap-1.5">
        <Button
          aria-pressed={drawing}
          tip="Draw round a clean place whose texture is taken"
          onClick={() => set({ tool: drawing ? "look" : "weavePlace", playing: false })}
        >
          {now.place ? "Another place" : "From a place"}
        </Button>
        {now.place && <Button onClick={() => keep({ place: null })}>From round it</Button>}
        <Button tip="The same, put together otherwise" onClick={() => keep({ seed: (now.seed + 1) % ANSWERS })}>
          Another answer
        </Button>
      </div>
    </>
  );
}
