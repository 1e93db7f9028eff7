import { X } from "lucide-react";
import { client, type Outline } from "../../../api/client";
import { Button, Check, Choice, Slider } from "../../../ui/controls";
import type { PanelProps } from "../shared/panel";
import { Section } from "../shared/Section";
import { type Tool, useBench } from "../store";
import type { See } from "../viewer/slice";
import { FrontPart } from "./FrontPart";

/** The matte of the mark: outlines, their softness, their keys, and what passes in front. */
export function EdgeStage({ fix, change }: PanelProps) {
  const { tool, frame, outline, keying, see, set } = useBench();
  const node = useBench((state) => state.node !== null);
  const growth = useBench((state) => state.growth) ?? fix.edge.growth;
  const softness = useBench((state) => state.softness) ?? fix.edge.softness;
  const inside = useBench((state) => state.inside) ?? fix.edge.inside;
  const keep = (part: Partial<{ growth: number; softness: number; inside: number; outlines: Outline[] }>) => {
    const { growth, softness, inside } = fix.edge;
    change.mutate(({ params, version }) =>
      client
        .PATCH("/api/fixes/{fix}/edge", { params, body: { version, growth, softness, inside, ...part } })
        .finally(() => set({ growth: null, softness: null, inside: null })),
    );
  };
  const list = fix.edge.outlines;
  const chosen = list[outline];
  const take = (next: Tool) => set({ tool: tool === next ? "look" : next, playing: false });
  const stands = (on: boolean) =>
    change.mutate(({ params, version }) =>
      client.PATCH("/api/fixes/{fix}/source", {
        params,
        body: { version, source: fix.source, blend: fix.blend, stands: on },
      }),
    );
  const keys = chosen?.keys ?? [];
  return (
    <Section
      stage="edge"
      name="Edge"
      words={`grow ${Math.round(growth)}, soft ${Math.round(inside)} in, ${Math.round(softness)} out`}
      figure={list.length > 1 ? `${list.length} shapes` : ""}
      hint={{
        words: "Drag a point of the stitched line until the mark is well inside the inner line.",
        done: node,
      }}
    >
      <ul aria-label="Outlines" className="flex flex-col gap-0.5">
        {list.map((one, k) => (
          // biome-ignore lint/suspicious/noArrayIndexKey: outlines have no name of their own
          <li key={k} className={`flex h-6 items-center gap-2 rounded-md px-1.5 ${k === outline ? "bg-felt-3" : ""}`}>
            <button
              type="button"
              aria-pressed={k === outline}
              className="min-w-0 flex-1 truncate text-left"
              onClick={() => set({ outline: k, node: null })}
            >
              {outlineWords(one, k)}
            </button>
            {list.length > 1 && (
              <button
                type="button"
                aria-label={`Take outline ${k + 1} away`}
                className="text-faint hover:text-ink"
                onClick={() => {
                  set({ outline: 0, node: null });
                  keep({ outlines: list.filter((_, i) => i !== k) });
                }}
              >
                <X size={13} />
              </button>
            )}
          </li>
        ))}
      </ul>
      <div className="flex flex-wrap gap-1.5">
        <Button aria-pressed={tool === "add"} tip="Draw a loop that is added" onClick={() => take("add")}>
          Add a shape
        </Button>
        <Button aria-pressed={tool === "take"} tip="Draw a loop that is taken away" onClick={() => take("take")}>
          Take away
        </Button>
        <Button aria-pressed={tool === "draw"} tip="Draw a line; it gets a width" onClick={() => take("draw")}>
          Add a line
        </Button>
      </div>
      {chosen?.width !== null && chosen?.width !== undefined && (
        <Slider
          label="Width"
          value={chosen.width}
          min={1}
          max={80}
          words={`${Math.round(chosen.width)} px`}
          onChange={() => undefined}
          onDone={(width) => keep({ outlines: list.map((one, k) => (k === outline ? { ...one, width } : one)) })}
        />
      )}
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
        label="Soft outside"
        value={softness}
        min={0}
        max={60}
        words={`${Math.round(softness)} px`}
        onChange={(value) => set({ softness: value })}
        onDone={(value) => keep({ softness: value })}
      />
      <Slider
        label="Soft inside"
        value={inside}
        min={0}
        max={60}
        words={`${Math.round(inside)} px`}
        onChange={(value) => set({ inside: value })}
        onDone={(value) => keep({ inside: value })}
      />
      <label className="flex items-center gap-2 text-soft">
        <input
          type="checkbox"
          className="accent-[#b9a8f2]"
          checked={keying || keys.length > 0}
          disabled={keys.length > 0}
          onChange={(event) => set({ keying: event.target.checked })}
        />
        Dragging a point sets a key on its frame
      </label>
      {keys.length > 0 && (
        <p className="text-soft">
          Keys:{" "}
          {keys.map((key) => (
            <button
              key={key.frame}
              type="button"
              className={`figure mr-1 rounded bg-felt-2 px-1 hover:bg-felt-3 ${key.frame === frame ? "text-thread" : ""}`}
              onClick={() => set({ frame: key.frame, playing: false })}
            >
              {key.frame}
            </button>
          ))}
          {keys.some((key) => key.frame === frame) && keys.length > 1 && (
            <button
              type="button"
              className="text-faint underline hover:text-ink"
              onClick={() =>
                keep({
                  outlines: list.map((one, k) =>
                    k === outline ? { ...one, keys: keys.filter((key) => key.frame !== frame) } : one,
                  ),
                })
              }
            >
              take {frame} away
            </button>
          )}
        </p>
      )}
      <Choice
        label="Still view shows"
        wide
        value={see === "light" ? "picture" : see}
        onChange={(next) => set({ see: next as See, main: "still" })}
        options={[
          { value: "picture", words: "Picture" },
          { value: "matte", words: "Matte", tip: "What the patch covers on this frame" },
          { value: "front", words: "In front", tip: "What was found to pass in front" },
        ]}
      />
      <FrontPart fix={fix} change={change} />
      <div title="An overlay on a finished film: the edge stays, the picture moves under it">
        <Check
          words="The mark stands still in the frame"
          on={fix.stands && !fix.carried}
          disabled={!!fix.carried}
          set={stands}
        />
      </div>
      <p className="text-[11.5px] text-faint">
        The inner line is where the patch is full, the outer where it ends. Drag a point or its handle, Shift-drag gives
        it a softness of its own, Alt breaks a handle off. Double-click adds a point, Delete takes it away.
      </p>
    </Section>
  );
}

function outlineWords(one: Outline, k: number): string {
  const what = one.takes ? "taken away" : k === 0 ? "the mark" : "added";
  const count = one.nodes?.length ?? one.keys?.[0]?.nodes.length ?? 0;
  return `${k + 1}: ${what}, ${one.width ? "line" : `${count} points`}${one.keys?.length ? `, ${one.keys.length} keys` : ""}`;
}
