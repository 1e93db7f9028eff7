import { Popover } from "radix-ui";
import type { Shot } from "../../../api/client";
import { Choice, Select, Slider } from "../../../ui/controls";
import { useBench } from "../store";
import { LookMenu } from "./LookMenu";
import type { Channel } from "./slice";

const CHANNELS: Record<Channel, string> = {
  colour: "Colour",
  r: "Red",
  g: "Green",
  b: "Blue",
  a: "Alpha",
  luma: "Luma",
  tone: "Tone",
  texture: "Texture",
  grain: "Grain",
};

/** What is looked at, and how. */
export function CompareBar({ shot }: { shot: Shot }) {
  const { compare, before, channel, set } = useBench();
  const channels = (Object.keys(CHANNELS) as Channel[]).filter((name) => name !== "a" || shot.clip.channels === 4);
  return (
    <div className="flex items-center gap-2">
      <Choice
        label="Compare"
        value={before ? "source" : compare}
        onChange={(next) => set({ compare: next })}
        options={[
          { value: "source", words: "Source", tip: "As shot" },
          { value: "patched", words: "Patched", tip: "As it would be delivered. Hold B for before." },
          {
            value: "split",
            words: "Split",
            tip: "Source on one side of a line, patched on the other. Drag the line; its knob turns it.",
          },
          { value: "changes", words: "Changes", tip: "What was altered, amplified; black where nothing was" },
          { value: "stress", words: "Stress", tip: "Push exposure, gamma or saturation so that a hidden patch shows" },
        ]}
      />
      {compare === "stress" && <StressMenu />}
      <Select
        label="Channel"
        bare
        value={CHANNELS[channel]}
        options={channels.map((name) => CHANNELS[name])}
        onChange={(words) => set({ channel: channels.find((name) => CHANNELS[name] === words) ?? "colour" })}
      />
      <LookMenu shot={shot} />
    </div>
  );
}

function StressMenu() {
  const { stress, set } = useBench();
  const push = (part: Partial<typeof stress>) => set({ stress: { ...stress, ...part } });
  return (
    <Popover.Root>
      <Popover.Trigger className="h-[26px] rounded-md border border-line px-2 text-soft hover:text-ink">
        Push
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          sideOffset={8}
          onKeyDown={(event) => event.stopPropagation()}
          className="z-40 flex w-[300px] flex-col gap-1.5 rounded-xl border border-line bg-felt-1 p-4 shadow-2xl"
        >
          <Slider
            label="Exposure"
            value={stress.exposure}
            min={-6}
            max={6}
            step={0.25}
            words={`${stress.exposure.toFixed(2)} st`}
            onChange={(exposure) => push({ exposure })}
          />
          <Slider
            label="Gamma"
            value={stress.gamma}
            min={0.2}
            max={5}
            step={0.1}
            words={stress.gamma.toFixed(1)}
            onChange={(gamma) => push({ gamma })}
          />
          <Slider
            label="Saturation"
            value={stress.saturation}
            min={0}
            max={10}
            step={0.25}
            words={`x ${stress.saturation.toFixed(2)}`}
            onChange={(saturation) => push({ saturation })}
          />
          <Slider
            label="Steps"
            value={stress.posterise}
            min={0}
            max={32}
            words={stress.posterise ? String(stress.posterise) : "off"}
            onChange={(posterise) => push({ posterise })}
          />
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
