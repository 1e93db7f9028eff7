import { useEffect, useState } from "react";
import { Button, Slider } from "../../../ui/controls";
import type { PanelProps } from "../shared/panel";
import { useBench } from "../store";
import { keepSoften } from "./changes";
import type { Soften } from "./ways";

/** Softening: how coarse, how far, how much of the texture and of the creases stays. */
export function SoftenPart({ fix, change }: PanelProps) {
  const { tool, set } = useBench();
  const [now, setNow] = useState<Soften>(fix.soften);
  useEffect(() => setNow(fix.soften), [fix.soften]);
  const keep = (part: Partial<Soften>) => {
    setNow({ ...now, ...part });
    keepSoften(change, fix, { ...now, ...part });
  };
  const share = (name: "amount" | "lines" | "texture", label: string, most: number) => (
    <Slider
      label={label}
      value={Math.round(now[name] * 100)}
      min={0}
      max={most}
      words={`${Math.round(now[name] * 100)} %`}
      onChange={(value) => setNow({ ...now, [name]: value / 100 })}
      onDone={(value) => keep({ [name]: value / 100 })}
    />
  );
  return (
    <>
      {share("amount", "Smooth", 100)}
      <Slider
        label="Finer than"
        value={now.scale}
        min={2}
        max={40}
        words={`${Math.round(now.scale)} px`}
        onChange={(scale) => setNow({ ...now, scale })}
        onDone={(scale) => keep({ scale })}
      />
      {share("lines", "Creases", 100)}
      {share("texture", "Texture", 200)}
      <div className="flex items-center gap-1.5">
        <Button
          aria-pressed={tool === "softenTake"}
          tip="Click a place in the Still view whose pores are laid here instead"
          onClick={() => set({ tool: tool === "softenTake" ? "look" : "softenTake", main: "still", playing: false })}
        >
          {now.take ? "Texture from elsewhere" : "Other texture"}
        </Button>
        {now.take && <Button onClick={() => keep({ take: null })}>Its own</Button>}
      </div>
    </>
  );
}
