import { useSortable } from "@dnd-kit/sortable";
import { CSS } from "@dnd-kit/utilities";
import { CopyPlus, Eye, EyeOff, GripVertical, Trash2 } from "lucide-react";
import { useState } from "react";
import { useChange } from "../../../api/changes";
import { body, client, type Fix, type Shot } from "../../../api/client";
import { keys, queries } from "../../../api/queries";
import { Button, Dot } from "../../../ui/controls";
import { say } from "../../../ui/messages";
import { cropAddress } from "../shared/addresses";
import { level, loudest, running, tellLevel } from "../shared/levels";
import { OnThisFix } from "../shared/OthersHere";
import { useBench } from "../store";
import { InOrder } from "./InOrder";

const kindWords = (fix: Fix) => {
  const kind = fix.hold!.kind;
  if (kind === "frame") return "unveiled";
  if (fix.source === "fill") return `${kind}, ${fix.fill.kind}`;
  if (fix.plates.length === 0 && fix.source !== "soften") return kind;
  return `${kind}, ${fix.plates.length > 1 ? `${fix.plates.length} plates` : fix.source}`;
};

export function FixList({ shot, fixes }: { shot: Shot; fixes: Fix[] }) {
  const chosen = useBench((state) => state.fix) ?? fixes[0]?.id;
  const tool = useBench((state) => state.tool);
  const set = useBench((state) => state.set);
  return (
    <section aria-label="Fixes" className="stitch-r flex w-[206px] shrink-0 flex-col gap-1 p-2">
      <h2 className="flex justify-between px-1 pb-1 text-soft">
        Fixes, in patch order <span className="figure">{fixes.length}</span>
      </h2>
      <div className="thin-scroll flex min-h-0 flex-1 flex-col gap-1 overflow-y-auto">
        <InOrder shot={shot} fixes={fixes}>
          {fixes.map((fix) => (
            <FixRow key={fix.id} shot={shot} fix={fix} fixes={fixes} chosen={fix.id === chosen} />
          ))}
        </InOrder>
        {fixes.length === 0 && (
          <p className="px-1 text-soft">
            Nothing to hush yet. Go to a frame where the mark is sharp, then circle it: the ground, the hold and the
            edge are proposed, and it begins to track.
          </p>
        )}
      </div>
      <Button
        look="dashed"
        aria-pressed={tool === "circle"}
        className={`h-9 w-full ${tool === "circle" ? "!border-thread !text-ink" : ""}`}
        onClick={() => set({ tool: tool === "circle" ? "look" : "circle", main: "shot", playing: false })}
      >
        Circle something to hush
      </Button>
    </section>
  );
}

function FixRow({ shot, fix, fixes, chosen }: { shot: Shot; fix: Fix; fixes: Fix[]; chosen: boolean }) {
  const set = useBench((state) => state.set);
  const [naming, setNaming] = useState(false);
  const { setNodeRef, setActivatorNodeRef, attributes, listeners, transform, transition, isDragging } = useSortable({
    id: fix.id,
  });
  const change = useChange(shot.id, fix.id, (problem) => say(problem.message));
  const worst = loudest(fix.hold);
  const anchor = fix.hold?.anchor;
  const far = worst?.frame ?? anchor;
  const rename = (name: string) => {
    setNaming(false);
    if (name.trim() && name !== fix.name)
      change.mutate(({ params, version }) =>
        client.PATCH("/api/fixes/{fix}/name", { params, body: { version, name } }),
      );
  };
  const duplicate = async () => {
    try {
      const made = await body<Fix>(
        client.POST("/api/fixes/{fix}/duplicate", { params: { path: { fix: fix.id } }, body: { strokes: true } }),
      );
      set({ fix: made.id });
      say(`${made.name} lies on the same hold, with the strokes of ${fix.name}.`);
    } catch (problem) {
      say((problem as Error).message);
    }
    void queries.invalidateQueries({ queryKey: keys.fixes(shot.id) });
  };
  const remove = async () => {
    try {
      await client.DELETE("/api/fixes/{fix}", { params: { path: { fix: fix.id }, query: { version: fix.version } } });
      if (chosen) set({ fix: null });
      say(`${fix.name} is taken away; undo brings it back.`);
    } catch (problem) {
      say((problem as Error).message);
    }
    void queries.invalidateQueries({ queryKey: keys.fixes(shot.id) });
    void queries.invalidateQueries({ queryKey: keys.shot(shot.id) });
  };
  return (
    <div
      ref={setNodeRef}
      style={{ transform: CSS.Translate.toString(transform), transition }}
      className={`group relative flex flex-col gap-1 rounded-lg p-1.5 ${isDragging ? "z-10 bg-felt-3" : ""} ${chosen ? "bg-felt-3" : "hover:bg-felt-2"} ${fix.on ? "" : "opacity-60"}`}
    >
      <button
        type="button"
        className="flex gap-1 rounded"
        aria-label={`Choose ${fix.name}`}
        aria-pressed={chosen}
        onClick={() => set({ fix: fix.id, node: null })}
      >
        {[false, true].map((after) =>
          anchor !== undefined && far !== undefined && !(after && fix.lacks) ? (
            <img
              key={String(after)}
              alt={after ? "after" : "before"}
              src={cropAddress(fix, shot, after ? far : anchor, fixes, after)}
              className="h-[46px] w-[86px] rounded bg-felt-0 object-contain"
            />
          ) : (
            <span
              key={String(after)}
              data-words={after ? "no patch yet" : ""}
              className="grid h-[46px] w-[86px] place-items-center rounded bg-felt-2 text-[11px] text-faint before:content-[attr(data-words)]"
            />
          ),
        )}
      </button>
      <div className="flex items-center gap-1">
        {fixes.length > 1 && (
          <button
            type="button"
            ref={setActivatorNodeRef}
            {...attributes}
            {...listeners}
            aria-label={`Move ${fix.name}`}
            title="Drag to lay it earlier or later than others"
            className="-ml-1 cursor-grab text-faint hover:text-ink"
          >
            <GripVertical size={13} />
          </button>
        )}
        {naming ? (
          <input
            // biome-ignore lint/a11y/noAutofocus: it was asked for by a double-click
            autoFocus
            aria-label="Name"
            defaultValue={fix.name}
            maxLength={120}
            onBlur={(event) => rename(event.target.value)}
            onKeyDown={(event) => {
              event.stopPropagation();
              if (event.key === "Enter") rename(event.currentTarget.value);
              if (event.key === "Escape") setNaming(false);
            }}
            className="w-0 flex-1 rounded bg-felt-0 px-1 select-text"
          />
        ) : (
          <button
            type="button"
            title="Double-click to rename"
            onClick={() => set({ fix: fix.id, node: null })}
            onDoubleClick={() => setNaming(true)}
            className="min-w-0 flex-1 truncate text-left font-medium"
          >
            {fix.name}
          </button>
        )}
        <button
          type="button"
          aria-label={fix.on ? `Switch ${fix.name} off` : `Switch ${fix.name} on`}
          className="text-soft hover:text-ink"
          onClick={() =>
            change.mutate(({ params, version }) =>
              client.PATCH("/api/fixes/{fix}/on", { params, body: { version, on: !fix.on } }),
            )
          }
        >
          {fix.on ? <Eye size={14} /> : <EyeOff size={14} />}
        </button>
        <button
          type="button"
          aria-label={`Duplicate ${fix.name}`}
          title="A copy on the same hold"
          className="text-faint hover:text-ink"
          onClick={() => void duplicate()}
        >
          <CopyPlus size={13} />
        </button>
        <button
          type="button"
          aria-label={`Take ${fix.name} away`}
          className="text-faint hover:text-loud"
          onClick={() => void remove()}
        >
          <Trash2 size={13} />
        </button>
      </div>
      <OnThisFix shot={shot.id} fix={fix.id} />
      <div className="flex items-center gap-1.5 text-soft">
        <Dot level={fix.loud && !fix.lacks ? tellLevel(fix.loud.value) : level(worst?.drift, worst?.lost)} />
        <span
          className="truncate"
          title={fix.shares.length ? `On the same hold as ${fix.shares.join(", ")}` : undefined}
        >
          {running(fix.hold) ? "tracking" : fix.hold ? kindWords(fix) : "no hold"}
        </span>
        {fix.loud && !fix.lacks ? (
          <button
            type="button"
            className="figure ml-auto whitespace-nowrap hover:text-ink"
            title={`Loudest tell: ${fix.loud.tell}; click to go there`}
            onClick={() => set({ frame: fix.loud!.frame, playing: false, fix: fix.id })}
          >
            {fix.loud.value < 1
              ? `${fix.loud.value.toFixed(1)} quiet`
              : `${fix.loud.value.toFixed(1)} at ${fix.loud.frame}`}
          </button>
        ) : (
          worst && (
            <button
              type="button"
              className="figure ml-auto whitespace-nowrap hover:text-ink"
              title="Loudest drift; click to go there"
              onClick={() => set({ frame: worst.frame, playing: false, fix: fix.id })}
            >
              {worst.lost ? "lost" : worst.drift.toFixed(1)} at {worst.frame}
            </button>
          )
        )}
      </div>
    </div>
  );
}
