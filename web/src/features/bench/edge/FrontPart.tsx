import { X } from "lucide-react";
import { client } from "../../../api/client";
import { Button } from "../../../ui/controls";
import type { PanelProps } from "../shared/panel";
import { type Tool, useBench } from "../store";
import { frontWords } from "./front";

/** What passes in front: found by itself, corrected by drawing on the Shot view. */
export function FrontPart({ fix, change }: Pick<PanelProps, "fix" | "change">) {
  const { tool, frame, front: chosen, set } = useBench();
  const take = (next: Tool) => set({ tool: tool === next ? "look" : next, main: "shot", playing: false });
  const keep = (front: typeof fix.front) =>
    change.mutate(({ params, version }) =>
      client.PATCH("/api/fixes/{fix}/front", { params, body: { version, front } }),
    );
  const shapes = fix.front.shapes ?? [];
  return (
    <>
      <label className="flex items-center gap-2 text-soft">
        <input
          type="checkbox"
          className="accent-[#b9a8f2]"
          checked={fix.front.auto ?? true}
          onChange={(event) => keep({ ...fix.front, auto: event.target.checked })}
        />
        Find what passes in front
      </label>
      <div className="flex flex-wrap gap-1.5">
        <Button
          aria-pressed={tool === "front"}
          tip="Draw round it on this frame, and again where it moves: a chosen shape gets a key, else it is a new one"
          onClick={() => take("front")}
        >
          In front
        </Button>
        <Button aria-pressed={tool === "behind"} tip="Draw round what was wrongly found" onClick={() => take("behind")}>
          Not in front
        </Button>
        <Button
          aria-pressed={tool === "brushFront"}
          tip="Brush over it, on this frame alone"
          onClick={() => take("brushFront")}
        >
          Brush it
        </Button>
      </div>
      {shapes.length > 0 && (
        <ul aria-label="Drawn in front" className="flex flex-col gap-0.5 text-soft">
          {shapes.map((one, k) => (
            <li
              // biome-ignore lint/suspicious/noArrayIndexKey: shapes have no name of their own
              key={k}
              className={`flex h-6 items-center gap-2 rounded px-1.5 ${k === chosen ? "bg-felt-3 text-ink" : ""}`}
            >
              <button
                type="button"
                disabled={one.width !== null}
                aria-pressed={k === chosen}
                title={one.width ? undefined : "Choose it to draw it again on other frames"}
                className="min-w-0 flex-1 truncate text-left enabled:hover:text-ink"
                onClick={() => set({ front: k === chosen ? null : k })}
              >
                {frontWords(one)}
              </button>
              <button
                type="button"
                aria-label={`Take drawn shape ${k + 1} away`}
                className="text-faint hover:text-ink"
                onClick={() => {
                  set({ front: null });
                  keep({ ...fix.front, shapes: shapes.filter((_, i) => i !== k) });
                }}
              >
                <X size={13} />
              </button>
            </li>
          ))}
        </ul>
      )}
      {chosen !== null && shapes[chosen] && (
        <p className="text-soft">
          {shapes[chosen].keys?.some((key) => key.frame === frame)
            ? `Draw again to put another line in its place on ${frame}.`
            : `Draw again to say where this shape is on ${frame}; between keys it moves from one to the next.`}
        </p>
      )}
    </>
  );
}
