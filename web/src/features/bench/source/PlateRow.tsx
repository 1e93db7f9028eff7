import { X } from "lucide-react";
import { useState } from "react";
import { client, type Fix } from "../../../api/client";
import { useSuggestions } from "../../../api/queries";
import { Button } from "../../../ui/controls";
import { cropAddress } from "../shared/addresses";
import type { PanelProps } from "../shared/panel";
import { useBench } from "../store";

type Plate = Fix["plates"][number];

/** The plates with the frames that each serves, and where the next might come from. */
export function PlateRow({ shot, fix, change }: PanelProps) {
  const { frame, set } = useBench();
  const [asked, setAsked] = useState(false);
  const suggestions = useSuggestions(fix, asked);
  const go = (at: number) => set({ main: "still", frame: at, stroke: null, playing: false });
  const take = (at: number, more: boolean) =>
    change.mutate(({ params, version }) => {
      const body = { version, frame: at };
      const sent = more
        ? client.POST("/api/fixes/{fix}/plates", { params, body })
        : client.PATCH("/api/fixes/{fix}/plate", { params, body });
      return sent.then((made) => {
        go(at);
        return made;
      });
    });
  const drop = (plate: number) =>
    change.mutate(({ params, version }) =>
      client.POST("/api/fixes/{fix}/plates/drop", { params, body: { version, plate } }),
    );
  const choose = (plate: Plate) => {
    go(plate.frame);
    if (plate.id !== fix.plate?.id)
      change.mutate(({ params, version }) =>
        client.POST("/api/fixes/{fix}/plates/choose", { params, body: { version, plate: plate.id } }),
      );
  };
  const first = fix.suggested_plate;
  const none = fix.plates.length === 0;
  const taken = fix.plates.some((plate) => plate.frame === frame);
  return (
    <>
      {none && (
        <p className="text-soft">
          No plate yet: pick a frame{first !== null && first !== undefined ? ` or take ${first}, the clearest` : ""}. A
          sharp, plainly lit one is best.
        </p>
      )}
      {!none && (
        <ul aria-label="Plates" className="flex flex-wrap gap-1.5">
          {[...fix.plates]
            .sort((a, b) => a.frame - b.frame)
            .map((plate) => (
              <li key={plate.id} className="group relative">
                <button
                  type="button"
                  aria-pressed={plate.id === fix.plate?.id}
                  title={`Plate ${plate.frame} serves ${plate.first} to ${plate.last}`}
                  onClick={() => choose(plate)}
                  className={`block overflow-hidden rounded-md border-2 ${plate.id === fix.plate?.id ? "border-thread" : "border-transparent"}`}
                >
                  <img
                    alt=""
                    src={cropAddress(fix, shot, plate.frame, [fix], false)}
                    className="h-[42px] w-[84px] bg-felt-0 object-contain"
                  />
                  <span className="figure absolute bottom-1 left-1.5 text-[10.5px] [text-shadow:0_0_3px_#000]">
                    {plate.frame}
                  </span>
                </button>
                <button
                  type="button"
                  aria-label={`Take plate ${plate.frame} away`}
                  onClick={() => drop(plate.id)}
                  className="absolute top-0.5 right-0.5 rounded bg-felt-0/80 p-0.5 text-soft opacity-0 hover:text-ink focus-visible:opacity-100 group-hover:opacity-100"
                >
                  <X size={11} />
                </button>
              </li>
            ))}
        </ul>
      )}
      <div className="flex flex-wrap gap-1.5">
        {none && first !== null && first !== undefined && (
          <Button look="main" onClick={() => take(first, false)}>
            Take {first}
          </Button>
        )}
        {!taken && (!none || frame !== first) && (
          <Button
            tip={none ? "Retouch this frame" : "One more plate; they share the shot"}
            onClick={() => take(frame, !none)}
          >
            {none ? "Take this frame" : "Add this frame"}, {frame}
          </Button>
        )}
        {!taken && fix.plate && (
          <Button tip="In place of the chosen plate; its strokes stay with it" onClick={() => take(frame, false)}>
            Use {frame} instead
          </Button>
        )}
        {fix.hold?.state === "done" && (
          <Button look="dashed" aria-expanded={asked} onClick={() => setAsked(!asked)}>
            {none ? "Suggest" : "Suggest another"}
          </Button>
        )}
      </div>
      {asked && (
        <ul aria-label="Suggested plates" className="flex flex-col rounded-md bg-felt-0 p-1">
          {suggestions.data?.map((one) => (
            <li key={one.frame}>
              <button
                type="button"
                title={`Go to ${one.frame}`}
                onClick={() => set({ frame: one.frame, playing: false })}
                onDoubleClick={() => take(one.frame, !none)}
                className="flex w-full gap-2 rounded px-1.5 py-0.5 text-left hover:bg-felt-2"
              >
                <span className="figure">{one.frame}</span>
                <span className="min-w-0 flex-1 text-soft">{one.words}</span>
              </button>
            </li>
          ))}
          {suggestions.data?.length === 0 && <li className="px-1.5 text-faint">No other frame shows more.</li>}
          {suggestions.isPending && <li className="px-1.5 text-faint">Comparing the frames</li>}
        </ul>
      )}
      {fix.plate && (
        <p className="text-[11.5px] text-faint">
          Strokes on plate {fix.plate.frame} are carried to {fix.plate.first} to {fix.plate.last}, every frame of it.
        </p>
      )}
    </>
  );
}
