import { ArrowDown, ArrowUp, Eye, EyeOff, X } from "lucide-react";
import { useEffect, useRef, useState } from "react";
import { client, type Fix, type Schemas, type StrokeRow } from "../../../api/client";
import { fixNow } from "../../../api/queries";
import { Button, Choice, Slider } from "../../../ui/controls";
import type { Change } from "../shared/panel";
import { useBench } from "../store";
import { BRUSHES } from "./BrushPart";
import { StrokeSpan } from "./StrokeSpan";
import { fromDonor } from "./slice";

type Edit = Partial<Omit<Schemas["StrokeEditIn"], "version">>;

/** The plate's strokes, newest first; the chosen one can be changed after the fact. */
export function StrokeList({ fix, change }: { fix: Fix; change: Change }) {
  const { stroke: chosen, set } = useBench();
  const keep = (strokes: { id: number; on: boolean }[]) =>
    change.mutate(({ params, version }) =>
      client.PATCH("/api/fixes/{fix}/strokes", { params, body: { version, strokes } }),
    );
  const plain = fix.strokes.map(({ id, on }) => ({ id, on }));
  // an edit gives the stroke another id: until that is known the editor stays with its place in the list
  const place = useRef(-1);
  const found = fix.strokes.findIndex((stroke) => stroke.id === chosen);
  if (chosen === null) place.current = -1;
  else if (found >= 0) place.current = found;
  const edited = fix.strokes[place.current];
  const shift = (index: number, by: number) => {
    const list = [...plain];
    const [moved] = list.splice(index, 1);
    list.splice(index + by, 0, moved!);
    keep(list);
  };
  if (fix.strokes.length === 0) return <p className="text-faint">No strokes yet.</p>;
  const rows = fix.strokes.map((stroke, index) => ({ stroke, index })).reverse();
  const small = "text-soft hover:text-ink disabled:opacity-30";
  return (
    <>
      <ol aria-label="Strokes" className="thin-scroll flex max-h-32 flex-col overflow-y-auto rounded-md bg-felt-0 p-1">
        {rows.map(({ stroke, index }) => (
          <li
            key={stroke.id}
            className={`flex h-6 shrink-0 items-center gap-1.5 rounded px-1.5 ${stroke.on ? "" : "text-faint"} ${stroke.id === chosen ? "bg-felt-3" : ""}`}
          >
            <span className="figure w-6 text-right text-faint">{index + 1}</span>
            <button
              type="button"
              aria-pressed={stroke.id === chosen}
              aria-label={`Choose stroke ${index + 1}`}
              className="min-w-0 flex-1 truncate text-left"
              onClick={() => set({ stroke: stroke.id === chosen ? null : stroke.id })}
            >
              {BRUSHES[stroke.kind as keyof typeof BRUSHES]?.[0] ?? stroke.kind} {Math.round(stroke.radius * 2)} px
              {stroke.band !== "all" ? `, ${stroke.band}` : ""}
            </button>
            <button
              type="button"
              aria-label={`Stroke ${index + 1} later`}
              className={small}
              disabled={index === plain.length - 1}
              onClick={() => shift(index, 1)}
            >
              <ArrowUp size={12} />
            </button>
            <button
              type="button"
              aria-label={`Stroke ${index + 1} earlier`}
              className={small}
              disabled={index === 0}
              onClick={() => shift(index, -1)}
            >
              <ArrowDown size={12} />
            </button>
            <button
              type="button"
              aria-label={`Switch stroke ${index + 1} ${stroke.on ? "off" : "on"}`}
              className={small}
              onClick={() => keep(plain.map((entry) => (entry.id === stroke.id ? { ...entry, on: !entry.on } : entry)))}
            >
              {stroke.on ? <Eye size={13} /> : <EyeOff size={13} />}
            </button>
            <button
              type="button"
              aria-label={`Take stroke ${index + 1} away`}
              className={small}
              onClick={() => keep(plain.filter((entry) => entry.id !== stroke.id))}
            >
              <X size={13} />
            </button>
          </li>
        ))}
      </ol>
      {edited && <StrokeEditor key={place.current} fix={fix} stroke={edited} change={change} />}
    </>
  );
}

/** Size, opacity, band, donor and place of a stroke that is laid. */
function StrokeEditor({ stroke, fix, change }: { stroke: StrokeRow; fix: Fix; change: Change }) {
  const { tool, set } = useBench();
  const [now, setNow] = useState(stroke);
  useEffect(() => setNow(stroke), [stroke]);
  const index = fix.strokes.findIndex((entry) => entry.id === stroke.id);
  const edit = (part: Edit) =>
    change.mutate(({ params, version }) =>
      client
        .PATCH("/api/fixes/{fix}/strokes/{stroke}", {
          // the edit before this one may have given it another id meanwhile
          params: { path: { ...params.path, stroke: fixNow(fix.shot, fix.id)?.strokes[index]?.id ?? stroke.id } },
          body: { version, ...part },
        })
        .then((made) => {
          const list = (made.data as Fix | undefined)?.strokes;
          set({ stroke: list?.[index]?.id ?? null });
          return made;
        }),
    );
  return (
    <div className="flex flex-col gap-2 rounded-md border border-line border-dashed p-2">
      <Slider
        label="Size"
        value={now.radius}
        min={2}
        max={120}
        words={`${Math.round(now.radius * 2)} px`}
        onChange={(radius) => setNow({ ...now, radius })}
        onDone={(radius) => edit({ radius })}
      />
      <Slider
        label="Opacity"
        value={Math.round(now.opacity * 100)}
        min={0}
        max={100}
        words={`${Math.round(now.opacity * 100)} %`}
        onChange={(value) => setNow({ ...now, opacity: value / 100 })}
        onDone={(value) => edit({ opacity: value / 100 })}
      />
      <Choice
        label="This stroke works on"
        wide
        value={stroke.band as "all"}
        onChange={(band) => edit({ band })}
        options={[
          { value: "all", words: "All" },
          { value: "tone", words: "Tone" },
          { value: "texture", words: "Texture" },
        ]}
      />
      {fix.source === "retrace" && <StrokeSpan stroke={stroke} keep={(span) => edit({ span })} />}
      <div className="flex flex-wrap gap-1">
        <Button
          aria-pressed={tool === "moveStroke"}
          tip="Drag in the Still view"
          onClick={() => set({ tool: tool === "moveStroke" ? "look" : "moveStroke", main: "still" })}
        >
          Move it
        </Button>
        {fromDonor(stroke.kind as "clone") && (
          <span className="self-center text-[11.5px] text-faint">Alt-click: another donor for it</span>
        )}
      </div>
    </div>
  );
}
