import { client, type Fix, type Shot } from "../../api/client";
import { useChange } from "../../api/queries";
import { Button, Choice, Slider } from "../../ui/controls";
import { say } from "../../ui/messages";
import { HoldStage } from "./hold/HoldStage";
import { level, loudest } from "./model";
import { Section } from "./Section";
import { StrokeList } from "./StrokeList";
import { useBench } from "./store";

type Change = ReturnType<typeof useChange>;
interface Props {
  fix: Fix;
  change: Change;
}

export function Stages({ shot, fix, onDeliver }: { shot: Shot; fix: Fix | null; onDeliver: () => void }) {
  const change = useChange(shot.id, fix?.id ?? 0, (problem) => say(problem.message));
  return (
    <aside aria-label="Stages" className="stitch-l thin-scroll flex w-[264px] shrink-0 flex-col overflow-y-auto">
      {fix ? (
        <>
          <HoldStage shot={shot} fix={fix} change={change} />
          <EdgeStage fix={fix} change={change} />
          <SourceStage fix={fix} change={change} />
          <MatchStage fix={fix} change={change} />
          <CheckStage fix={fix} />
        </>
      ) : (
        <p className="p-3 text-soft">Choose a fix on the left, or circle something. Its five stages show here.</p>
      )}
      <div className="mt-auto p-3">
        <Button look="main" className="h-8 w-full" onClick={onDeliver}>
          Deliver
        </Button>
      </div>
    </aside>
  );
}

function EdgeStage({ fix, change }: Props) {
  const growth = useBench((state) => state.growth) ?? fix.edge.growth;
  const softness = useBench((state) => state.softness) ?? fix.edge.softness;
  const set = useBench((state) => state.set);
  const keep = (part: { growth?: number; softness?: number }) => {
    const next = { growth: fix.edge.growth, softness: fix.edge.softness, ...part };
    change.mutate(({ params, version }) =>
      client
        .PATCH("/api/fixes/{fix}/edge", { params, body: { version, ...next } })
        .finally(() => set({ growth: null, softness: null })),
    );
  };
  return (
    <Section
      stage="edge"
      name="Edge"
      words={`grow ${Math.round(growth)}, soft ${Math.round(softness)} out`}
      figure={`${fix.edge.nodes.length} points`}
    >
      <Slider
        label="Growth"
        value={growth}
        min={-20}
        max={60}
        words={`${Math.round(growth)} px`}
        onChange={(value) => set({ growth: value })}
        onDone={(value) => keep({ growth: value })}
      />
      <Slider
        label="Softness"
        value={softness}
        min={0}
        max={60}
        words={`${Math.round(softness)} px`}
        onChange={(value) => set({ softness: value })}
        onDone={(value) => keep({ softness: value })}
      />
      <p className="text-[11.5px] text-faint">
        Drag a point or its handle; Alt breaks a handle off. Double-click the stitch to add a point, Delete takes the
        chosen one away. Softness falls outside the stitch.
      </p>
    </Section>
  );
}

function SourceStage({ fix, change }: Props) {
  const frame = useBench((state) => state.frame);
  const { brush, kind, donor, offset } = useBench();
  const set = useBench((state) => state.set);
  const take = (at: number) =>
    change.mutate(({ params, version }) =>
      client.PATCH("/api/fixes/{fix}/plate", { params, body: { version, frame: at } }).then((made) => {
        set({ main: "still", frame: at });
        return made;
      }),
    );
  const suggested = fix.suggested_plate;
  return (
    <Section
      stage="source"
      name="Source"
      words={fix.plate ? "retouched plate" : "no plate yet"}
      figure={fix.plate ? String(fix.plate.frame) : ""}
    >
      {!fix.plate && (
        <p className="text-soft">
          No plate yet: pick a frame{suggested !== null ? ` or take ${suggested}, the clearest` : ""}. A sharp, plainly
          lit one is best.
        </p>
      )}
      <div className="flex flex-wrap gap-1.5">
        {!fix.plate && suggested !== null && suggested !== undefined && (
          <Button look="main" onClick={() => take(suggested)}>
            Take {suggested}
          </Button>
        )}
        {frame !== fix.plate?.frame && (!fix.plate ? frame !== suggested : true) && (
          <Button onClick={() => take(frame)} tip="Strokes made on another plate stay with that one.">
            Take this frame, {frame}
          </Button>
        )}
      </div>
      {fix.plate && (
        <>
          <Choice
            label="Brush"
            wide
            value={kind}
            onChange={(next) => set({ kind: next })}
            options={[
              { value: "clone", words: "Clone", tip: "Lay a clean place over the mark" },
              { value: "restore", words: "Restore", tip: "Bring the plate's own picture back" },
            ]}
          />
          {kind === "clone" && (
            <p className="text-soft" role="status">
              {offset
                ? `Takes from ${Math.round(offset.x)}, ${Math.round(offset.y)} px away. Alt-click for another place.`
                : donor
                  ? "Donor set. Now paint over the mark."
                  : "Alt-click a clean place close by in the Still view, then paint."}
            </p>
          )}
          <Slider
            label="Size"
            value={brush.radius}
            min={2}
            max={120}
            words={`${Math.round(brush.radius * 2)} px`}
            onChange={(radius) => set({ brush: { ...brush, radius } })}
          />
          <Slider
            label="Hardness"
            value={Math.round(brush.hardness * 100)}
            min={0}
            max={100}
            words={`${Math.round(brush.hardness * 100)} %`}
            onChange={(value) => set({ brush: { ...brush, hardness: value / 100 } })}
          />
          <Slider
            label="Opacity"
            value={Math.round(brush.opacity * 100)}
            min={5}
            max={100}
            words={`${Math.round(brush.opacity * 100)} %`}
            onChange={(value) => set({ brush: { ...brush, opacity: value / 100 } })}
          />
          <StrokeList fix={fix} change={change} />
        </>
      )}
    </Section>
  );
}

const LIGHT = {
  off: "the plate's own light, as it is",
  even: "one gain a channel from round the mark",
  under: "reads the light that fell on the mark itself",
};

function MatchStage({ fix, change }: Props) {
  const { light, blur } = fix.match as { light: keyof typeof LIGHT; blur: boolean };
  const keep = (match: { light: keyof typeof LIGHT; blur: boolean }) =>
    change.mutate(({ params, version }) =>
      client.PATCH("/api/fixes/{fix}/match", { params, body: { version, match } }),
    );
  return (
    <Section stage="match" name="Match" words={`light ${light}${blur ? ", motion blur" : ""}`} figure="">
      <Choice
        label="Light"
        wide
        value={light}
        onChange={(next) => keep({ light: next, blur })}
        options={(Object.keys(LIGHT) as (keyof typeof LIGHT)[]).map((mode) => ({
          value: mode,
          words: mode[0]!.toUpperCase() + mode.slice(1),
          tip: LIGHT[mode],
        }))}
      />
      <p className="text-soft">{LIGHT[light]}</p>
      <label className="flex items-center gap-2 text-soft">
        <input
          type="checkbox"
          checked={blur}
          onChange={(event) => keep({ light, blur: event.target.checked })}
          className="accent-[#b9a8f2]"
        />
        Give the patch each frame's motion blur
      </label>
    </Section>
  );
}

function CheckStage({ fix }: { fix: Fix }) {
  const set = useBench((state) => state.set);
  const worst = loudest(fix.hold);
  const weak = fix.hold?.frames.filter((frame) => level(frame.drift, frame.lost) !== "quiet") ?? [];
  return (
    <Section
      stage="check"
      name="Check"
      words={fix.lacks ? "not whole yet" : weak.length ? "drift to look at" : "drift is quiet"}
      figure={worst ? `${weak.length} frames` : ""}
      level={weak.length ? level(worst?.drift, worst?.lost) : worst ? "quiet" : "none"}
    >
      {fix.lacks ? (
        <p className="text-soft">{fix.lacks}</p>
      ) : (
        <p className="text-soft">
          Hold B for before, H to hide everything drawn. Play it at rate, zoom in, look at first, middle and last.
        </p>
      )}
      {worst && (
        <Button onClick={() => set({ frame: worst.frame, playing: false, main: "shot" })}>
          Go to the loudest, {worst.frame}
        </Button>
      )}
    </Section>
  );
}
