import { client } from "../../../api/client";
import { Button, Select, Slider } from "../../../ui/controls";
import { say } from "../../../ui/messages";
import { apiNodes, pathNodes } from "../shared/nodes";
import type { PanelProps } from "../shared/panel";
import { useBench } from "../store";
import { Percent } from "./Percent";
import { fromDonor, type Manner } from "./slice";

const PRESSURES = { Size: "size", Opacity: "opacity", Both: "both", Nothing: "none" } as const;

/** What a brush has beyond size, hardness and opacity: flow, the pen, how the donor lies, protection. */
export function BrushMore({ fix, change }: Pick<PanelProps, "fix" | "change">) {
  const { kind, manner, way, frame, tool, grainless, set } = useBench();
  const lay = (part: Partial<Manner>) => set({ manner: { ...manner, ...part } });
  const unprotect = () =>
    change.mutate(({ params, version }) =>
      client.PATCH("/api/fixes/{fix}/protect", { params, body: { version, nodes: null } }),
    );
  const protectEdge = () =>
    change.mutate(({ params, version }) =>
      client.PATCH("/api/fixes/{fix}/protect", {
        params,
        body: {
          version,
          nodes: apiNodes(pathNodes(fix.edge.nodes)),
        },
      }),
    );
  return (
    <details className="text-soft">
      <summary className="cursor-pointer hover:text-ink">More of the brush</summary>
      <div className="flex flex-col gap-2 pt-2">
        <Percent label="Flow" value={manner.flow} least={2} set={(flow) => lay({ flow })} />
        {manner.flow < 1 && (
          <Slider
            label="Spacing"
            value={Math.round(manner.spacing * 100)}
            min={5}
            max={200}
            words={`${Math.round(manner.spacing * 100)} %`}
            onChange={(value) => lay({ spacing: value / 100 })}
          />
        )}
        <Select
          label="Pen drives"
          value={Object.keys(PRESSURES).find((k) => PRESSURES[k as keyof typeof PRESSURES] === manner.pressure)!}
          options={Object.keys(PRESSURES)}
          onChange={(value) => lay({ pressure: PRESSURES[value as keyof typeof PRESSURES] })}
        />
        {fromDonor(kind) && (
          <>
            <Slider
              label="Turn"
              value={way.turn}
              min={-180}
              max={180}
              words={`${Math.round(way.turn)}°`}
              onChange={(turn) => set({ way: { ...way, turn } })}
            />
            <Slider
              label="Scale"
              value={Math.round(way.zoom * 100)}
              min={50}
              max={200}
              words={`${Math.round(way.zoom * 100)} %`}
              onChange={(value) => set({ way: { ...way, zoom: value / 100 } })}
            />
            <label className="flex items-center gap-2">
              <input
                type="checkbox"
                className="accent-[#b9a8f2]"
                checked={way.flip}
                onChange={(event) => set({ way: { ...way, flip: event.target.checked } })}
              />
              Mirror the donor
            </label>
            <div className="flex flex-wrap gap-1">
              <Button
                aria-pressed={way.source === "painted"}
                onClick={() => set({ way: { ...way, source: "painted" } })}
              >
                As painted
              </Button>
              <Button aria-pressed={way.source === "plate"} onClick={() => set({ way: { ...way, source: "plate" } })}>
                As shot
              </Button>
              <Button
                aria-pressed={typeof way.source === "number"}
                tip="Take from the frame you are on, held still"
                onClick={() => set({ way: { ...way, source: frame } })}
              >
                Frame {typeof way.source === "number" ? way.source : frame}
              </Button>
            </div>
            <p className="text-[11.5px] text-faint">
              Takes from{" "}
              {way.source === "painted"
                ? "what is painted so far"
                : way.source === "plate"
                  ? "the plate as shot"
                  : `frame ${way.source}`}
              .
            </p>
          </>
        )}
        <label className="flex items-center gap-2">
          <input
            type="checkbox"
            className="accent-[#b9a8f2]"
            checked={grainless}
            onChange={(event) => {
              if (event.target.checked && fix.hold?.state !== "done") say("The grain is known once the hold is done.");
              set({ grainless: event.target.checked });
            }}
          />
          Show the plate without grain
        </label>
        <div className="flex flex-wrap gap-1">
          <Button
            aria-pressed={tool === "protect"}
            tip="Draw a loop in the Still view that no new stroke may leave"
            onClick={() => set({ tool: tool === "protect" ? "look" : "protect", main: "still" })}
          >
            Protect with a loop
          </Button>
          {fix.protect ? (
            <Button onClick={unprotect}>No protection</Button>
          ) : (
            <Button onClick={protectEdge}>Keep in the edge</Button>
          )}
        </div>
      </div>
    </details>
  );
}
