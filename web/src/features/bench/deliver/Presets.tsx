import { useState } from "react";
import { client, type Piece } from "../../../api/client";
import { keys, queries } from "../../../api/queries";
import { usePresets } from "../../../api/studio";
import { Button } from "../../../ui/controls";

interface Props {
  job: number;
  pieces: Piece[];
  withLook: boolean;
  onTake: (pieces: Piece[], withLook: boolean) => void;
  onProblem: (words: string) => void;
}

/** What this job delivers each time, under a name. */
export function Presets({ job, pieces, withLook, onTake, onProblem }: Props) {
  const presets = usePresets(job).data ?? [];
  const [name, setName] = useState<string | null>(null);
  const [taken, setTaken] = useState("");
  const asked = async (sent: Promise<unknown>) => {
    try {
      await sent;
    } catch (problem) {
      onProblem((problem as Error).message);
    }
    void queries.invalidateQueries({ queryKey: keys.presets(job) });
  };
  const keep = () => {
    if (name?.trim())
      void asked(
        client.POST("/api/jobs/{job}/presets", {
          params: { path: { job } },
          body: { name: name.trim(), pieces, with_look: withLook },
        }),
      );
    setName(null);
  };
  const known = presets.find((one) => String(one.id) === taken);
  return (
    <div className="flex items-center gap-2">
      {presets.length > 0 && (
        <select
          aria-label="Preset"
          value={taken}
          onChange={(event) => {
            setTaken(event.target.value);
            const one = presets.find((row) => String(row.id) === event.target.value);
            if (one) onTake(one.pieces, one.with_look ?? false);
          }}
          className="h-[26px] cursor-pointer rounded-md border border-line bg-felt-1 px-1.5 text-soft hover:text-ink"
        >
          <option value="">This job's presets</option>
          {presets.map((one) => (
            <option key={one.id} value={one.id}>
              {one.name}
            </option>
          ))}
        </select>
      )}
      {known && (
        <Button
          onClick={() => {
            setTaken("");
            void asked(client.DELETE("/api/presets/{preset}", { params: { path: { preset: known.id } } }));
          }}
        >
          Forget it
        </Button>
      )}
      {name === null ? (
        <Button look="dashed" tip="Keep what is chosen here under a name, for this job" onClick={() => setName("")}>
          Keep as a preset
        </Button>
      ) : (
        <input
          // biome-ignore lint/a11y/noAutofocus: it has just been asked for
          autoFocus
          aria-label="Name of the preset"
          placeholder="Name, then Enter"
          value={name}
          onChange={(event) => setName(event.target.value)}
          onBlur={keep}
          onKeyDown={(event) => {
            event.stopPropagation();
            if (event.key === "Enter") keep();
            if (event.key === "Escape") setName(null);
          }}
          className="h-[26px] w-40 rounded-md border border-line bg-felt-0 px-2 select-text"
        />
      )}
    </div>
  );
}
