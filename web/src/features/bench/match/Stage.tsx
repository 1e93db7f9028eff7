import { useEffect, useState } from "react";
import { client, type Match, type Schemas } from "../../../api/client";
import { useEvidence, useTells } from "../../../api/queries";
import { Button, Check, Choice, Slider } from "../../../ui/controls";
import { tellLevel } from "../shared/levels";
import type { PanelProps } from "../shared/panel";
import { Section } from "../shared/Section";
import { WayPicker } from "../shared/WayPicker";
import { useBench } from "../store";

const LIGHT = {
  auto: { name: "Auto", words: "reads the light under the mark and the highlights, by the shot's own evidence" },
  under: { name: "Under", words: "reads the light that fell on the mark itself" },
  shine: { name: "Shine", words: "highlights, which add to the picture instead of multiplying it" },
  rim: { name: "Rim", words: "from every point of the rim inwards" },
  slope: { name: "Slope", words: "an even slope fitted to the rim" },
  even: { name: "Even", words: "one gain a channel from round the mark" },
  off: { name: "Off", words: "the plate's own light, as it is" },
} as const;
type Light = keyof typeof LIGHT;

/** How the plate is made to belong to each frame: light, sharpness, texture, grain. */
export function MatchStage({ fix, change }: PanelProps) {
  const { frame, see, tool, set } = useBench();
  const [now, setNow] = useState<Match>(fix.match);
  useEffect(() => setNow(fix.match), [fix.match]);
  const tells = useTells(fix).data?.frames.find((row) => row.frame === frame);
  const keep = (part: Partial<Match>) => {
    const match = { ...fix.match, ...part };
    setNow(match);
    change.mutate(({ params, version }) =>
      client.PATCH("/api/fixes/{fix}/match", { params, body: { version, match } }),
    );
  };
  const light = (now.light ?? "auto") as Light;
  const said = useEvidence(fix).data;
  const beside = (fix.source === "replace" || fix.source === "fill") && !fix.stands;
  const standing = said?.standing && light !== "off" && fix.source === "replace";
  const loud = tells ? Math.max(tells.light, tells.texture, tells.grain) : undefined;
  const value = (name: "strength" | "steady" | "texture" | "grain_amount") => Math.round((now[name] ?? 0) * 100);
  const slide = (name: "strength" | "steady" | "texture" | "grain_amount", label: string, most: number) => (
    <Slider
      label={label}
      value={value(name)}
      min={0}
      max={most}
      words={`${value(name)} %`}
      onChange={(next) => setNow({ ...now, [name]: next / 100 })}
      onDone={(next) => keep({ [name]: next / 100 })}
    />
  );
  if (fix.source === "unveil")
    return (
      <Section
        stage="match"
        name="Match"
        words="its own light and grain"
        figure={loud === undefined ? "" : loud.toFixed(1)}
        level={tellLevel(loud)}
      >
        <p className="text-soft">Each frame's own picture comes back from under the mark: there is nothing to match.</p>
      </Section>
    );
  return (
    <Section
      stage="match"
      name="Match"
      words={`light ${light}, grain ${now.grain ?? "fresh"}`}
      figure={loud === undefined ? "" : loud.toFixed(1)}
      level={tellLevel(loud)}
      hint={{
        words: "What fits the shot is chosen already. Show the light to see what it does on a frame.",
        done: see === "light",
      }}
    >
      <WayPicker
        label="Light"
        columns="grid-cols-4"
        value={light}
        ways={LIGHT}
        onChange={(mode) => keep({ light: mode })}
      />
      {light !== "off" && (
        <>
          {(light === "auto" || light === "under" || light === "shine") && <Chosen fix={fix} now={now} keep={keep} />}
          {slide("strength", "Strength", 100)}
          {slide("steady", "Steady", 100)}
          <Check
            words="Keep the mark's own shading out of it"
            on={now.capped ?? true}
            set={(capped) => keep({ capped })}
          />
          <Button
            aria-pressed={see === "light"}
            tip="Grey is no change, lighter is more light"
            onClick={() => set({ see: see === "light" ? "picture" : "light", main: "still" })}
          >
            {see === "light" ? "Show the picture" : "Show the light"}
          </Button>
        </>
      )}
      <Check words="Motion blur of each frame" on={now.blur ?? true} set={(blur) => keep({ blur })} />
      <Check words="Sharpness of each frame" on={now.sharpness ?? true} set={(sharpness) => keep({ sharpness })} />
      {slide("texture", "Texture", 200)}
      <div className="flex items-center gap-1.5">
        <Button
          aria-pressed={tool === "repair"}
          tip="For a plate that is too soft: click a clean, sharp place in the Still view"
          onClick={() => set({ tool: tool === "repair" ? "look" : "repair", main: "still" })}
        >
          {now.repair ? "Texture from elsewhere" : "Repair texture"}
        </Button>
        {now.repair && <Button onClick={() => keep({ repair: null })}>Its own</Button>}
      </div>
      {(now.repair || now.texture !== 1) && (
        <Slider
          label="Split at"
          value={now.texture_scale ?? 6}
          min={1}
          max={30}
          step={0.5}
          words={`${now.texture_scale ?? 6} px`}
          onChange={(texture_scale) => setNow({ ...now, texture_scale })}
          onDone={(texture_scale) =>
            keep({ texture_scale, ...(now.repair ? { repair: { ...now.repair, scale: texture_scale } } : {}) })
          }
        />
      )}
      <Choice
        label="Grain"
        wide
        value={now.grain ?? "fresh"}
        onChange={(grain) => keep({ grain })}
        options={[
          { value: "fresh", words: "Fresh", tip: "The plate's is taken off, new is laid on every frame" },
          { value: "keep", words: "Keep", tip: "The plate's own stays; what is missing is topped up" },
          { value: "off", words: "None" },
        ]}
      />
      {now.grain !== "off" && slide("grain_amount", "Amount", 200)}
      {standing && (
        <Check
          words="Keep highlights where they stand"
          on={now.standing !== "off"}
          set={(on) => keep({ standing: on ? "auto" : "off" })}
        />
      )}
      {beside && (
        <Check
          words="Cover the mark beside its patch"
          on={now.beside !== "off"}
          set={(on) => keep({ beside: on ? "auto" : "off" })}
        />
      )}
      {said?.veil && (
        <Check
          words="Bring back what shows through it"
          on={now.veil !== "off"}
          set={(on) => keep({ veil: on ? "auto" : "off" })}
        />
      )}
      <Facts fix={fix} />
    </Section>
  );
}

const SHARES = [
  { value: "shot", words: "Chosen", tip: "What explains this shot best without reading the mark for light" },
  { value: "1", words: "Multiplies", tip: "All of the light multiplies: cloth, walls, skin" },
  { value: "0.5", words: "Half", tip: "Half multiplies, half is added" },
  { value: "0", words: "Adds", tip: "Highlights, which add to the picture" },
] as const;

/** What was chosen for auto, with its figures, and the way to overrule it. */
function Chosen({ fix, now, keep }: Pick<PanelProps, "fix"> & { now: Match; keep: (part: Partial<Match>) => void }) {
  const said = useEvidence(fix).data;
  if (!said || now.light !== "auto") return null;
  const share = now.multiplies === null || now.multiplies === undefined ? "shot" : String(now.multiplies);
  return (
    <>
      <p className="text-[11.5px] text-soft">
        {share !== "shot"
          ? "Set by hand for this fix."
          : said.words ||
            (said.settled
              ? "There is nothing to choose between here: light is read the plain way."
              : "Nothing is chosen yet: light is read from under the mark.")}
        {!said.settled && " It is looked at again once things have come to rest."}
      </p>
      <Choice
        label="How light acts"
        wide
        value={share as (typeof SHARES)[number]["value"]}
        onChange={(value) => keep({ multiplies: value === "shot" ? null : Number(value) })}
        options={[...SHARES]}
      />
    </>
  );
}

/** What the shot says of itself: how its light works, its shutter, its grain against brightness. */
function Facts({ fix }: Pick<PanelProps, "fix">) {
  const said = useEvidence(fix).data;
  if (!said)
    return <p className="text-[11.5px] text-faint">The shot's grain and light are read once the hold is done.</p>;
  const light =
    said.multiplies >= 0.95
      ? "light multiplies here"
      : said.multiplies <= 0.05
        ? "highlights add here"
        : "light multiplies and adds";
  return (
    <>
      {said.known && <GrainCurve points={said.grain} />}
      <p className="text-[11.5px] text-faint">
        Measured: {light}
        {said.standing ? ", a highlight stands in the frame" : ""}
        {said.veil ? `, ${Math.round(100 * said.veil)} % of the picture shows through the mark` : ""}, shutter{" "}
        {Math.round(said.shutter * 360)}°{said.known ? "" : "; too little surface to read grain from"}.
      </p>
    </>
  );
}

const TINTS = ["#d98a86", "#8fbf95", "#8aa5d6"];

/** Grain by brightness, a line a channel. */
function GrainCurve({ points }: { points: Schemas["GrainPoint"][] }) {
  const [wide, tall] = [236, 54];
  const low = points[0]!.level;
  const span = Math.max(points[points.length - 1]!.level - low, 1e-3);
  const most = Math.max(...points.flatMap((point) => point.sigma)) * 1.15;
  const line = (k: number) =>
    points
      .map(
        (point) =>
          `${(((point.level - low) / span) * wide).toFixed(1)},${(tall - ((point.sigma[k] ?? 0) / most) * tall).toFixed(1)}`,
      )
      .join(" ");
  const middle = points[Math.floor(points.length / 2)]!.sigma[1] ?? 0;
  return (
    <figure className="rounded-md bg-felt-0 p-1.5">
      <svg viewBox={`0 0 ${wide} ${tall}`} className="h-[54px] w-full" role="img" aria-label="Grain against brightness">
        {TINTS.map((tint, k) => (
          <polyline key={tint} points={line(k)} fill="none" stroke={tint} strokeWidth="1.4" />
        ))}
      </svg>
      <figcaption className="flex justify-between text-[11px] text-faint">
        <span>dark</span>
        <span className="figure whitespace-nowrap">grain {(middle * 100).toFixed(2)} %</span>
        <span>bright</span>
      </figcaption>
    </figure>
  );
}
