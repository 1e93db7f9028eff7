import { Popover } from "radix-ui";
import { useRef, useState } from "react";
import { inTurn } from "../../../api/changes";
import { client, type Schemas, type Shot } from "../../../api/client";
import { keys, queries, send, useColour } from "../../../api/queries";
import { Button, Select, Slider } from "../../../ui/controls";
import { say } from "../../../ui/messages";

type Look = Schemas["LookData"];
type Cdl = Schemas["CdlData"];
const AS_IS = "As the picture is";
const FRESH: Cdl = { slope: [1, 1, 1], offset: [0, 0, 0], power: [1, 1, 1], saturation: 1 };

/** How the shot is shown: view, exposure, gamma, CDL, LUT. View only. */
export function LookMenu({ shot }: { shot: Shot }) {
  const { data: colour } = useColour();
  const [dragged, setDragged] = useState<Partial<Look>>({});
  const file = useRef<HTMLInputElement>(null);
  const look = { ...shot.look, ...dragged };
  const wanted = useRef<Look | null>(null);
  const busy = useRef(false);
  /** Changes that come while one is being kept are joined and kept after it; none is lost, none jumps back. */
  const keep = async (part: Partial<Look>) => {
    wanted.current = { ...(wanted.current ?? shot.look), ...part };
    setDragged(wanted.current);
    if (busy.current) return;
    busy.current = true;
    try {
      for (let sent: Look | null = null; sent !== wanted.current; ) {
        sent = wanted.current;
        const look = sent;
        const params = { path: { shot: shot.id } };
        const made = await inTurn(() => client.PATCH("/api/shots/{shot}", { params, body: { look } }));
        queries.setQueryData(keys.shot(shot.id), made.data);
      }
    } catch (problem) {
      say((problem as Error).message);
    }
    busy.current = false;
    wanted.current = null;
    setDragged({});
  };
  const load = async (chosen: File | undefined) => {
    if (!chosen) return;
    const data = new FormData();
    data.append("file", chosen);
    try {
      queries.setQueryData(keys.shot(shot.id), await send<Shot>(`/api/shots/${shot.id}/look/file`, data));
      void queries.invalidateQueries({ queryKey: keys.colour });
    } catch (problem) {
      say((problem as Error).message);
    }
  };
  const views = colour?.displays.flatMap((entry) => entry.views.map((view) => `${entry.name} / ${view}`)) ?? [];
  const current = look.view ? `${look.display} / ${look.view}` : AS_IS;
  return (
    <Popover.Root>
      <Popover.Trigger className="h-[26px] max-w-44 truncate rounded-md border border-line px-2 text-soft hover:text-ink">
        Look <span className="text-faint">view only</span>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          sideOffset={8}
          align="start"
          onKeyDown={(event) => event.stopPropagation()}
          className="z-40 flex w-[340px] flex-col gap-2 rounded-xl border border-line bg-felt-1 p-4 shadow-2xl"
        >
          <p className="text-soft">
            For viewing only: no delivered pixel goes through it. The clip is{" "}
            <b className="font-medium text-ink">{shot.clip.space_words}</b>.
          </p>
          <Select
            label="View"
            value={current}
            options={[AS_IS, ...views]}
            onChange={(next) => {
              const [display, view] = next === AS_IS ? ["", ""] : next.split(" / ");
              void keep({ display: display ?? "", view: view ?? "" });
            }}
          />
          <Slider
            label="Exposure"
            value={look.exposure ?? 0}
            min={-6}
            max={6}
            step={0.1}
            words={`${(look.exposure ?? 0).toFixed(1)} st`}
            onChange={(exposure) => setDragged({ exposure })}
            onDone={(exposure) => void keep({ exposure })}
          />
          <Slider
            label="Gamma"
            value={look.gamma ?? 1}
            min={0.3}
            max={3}
            step={0.05}
            words={(look.gamma ?? 1).toFixed(2)}
            onChange={(gamma) => setDragged({ gamma })}
            onDone={(gamma) => void keep({ gamma })}
          />
          <CdlFields
            key={JSON.stringify(shot.look.cdl)}
            cdl={shot.look.cdl ?? null}
            keep={(cdl) => void keep({ cdl })}
          />
          <Select
            label="LUT"
            value={look.lut || "None"}
            options={["None", ...(colour?.luts ?? [])]}
            onChange={(next) => void keep({ lut: next === "None" ? "" : next })}
          />
          <div className="flex gap-1.5">
            <Button onClick={() => file.current?.click()} tip="A CDL (.cc, .ccc, .cdl) or a 3D LUT (.cube)">
              Load CDL or LUT
            </Button>
            <Button onClick={() => void keep({ exposure: 0, gamma: 1, cdl: null, lut: "" })}>Reset</Button>
          </div>
          <input
            ref={file}
            type="file"
            aria-label="Look file"
            accept=".cc,.ccc,.cdl,.cube"
            className="hidden"
            onChange={(event) => {
              void load(event.target.files?.[0]);
              event.target.value = "";
            }}
          />
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

function CdlFields({ cdl, keep }: { cdl: Cdl | null; keep: (cdl: Cdl | null) => void }) {
  const [now, setNow] = useState<Cdl>(cdl ?? FRESH);
  const row = (name: "slope" | "offset" | "power") => (
    <div key={name} className="grid grid-cols-[70px_1fr_1fr_1fr] items-center gap-2">
      <span className="text-soft">{name[0]!.toUpperCase() + name.slice(1)}</span>
      {[0, 1, 2].map((k) => (
        <input
          key={k}
          type="number"
          step={0.01}
          aria-label={`${name} ${"rgb"[k]}`}
          value={now[name]![k]}
          onChange={(event) =>
            setNow({ ...now, [name]: now[name]!.map((value, i) => (i === k ? Number(event.target.value) : value)) })
          }
          onBlur={() => JSON.stringify(now) !== JSON.stringify(cdl ?? FRESH) && keep(now)}
          className="figure h-6 w-full rounded border border-line bg-felt-0 px-1.5 select-text"
        />
      ))}
    </div>
  );
  return (
    <fieldset className="flex flex-col gap-1" aria-label="ASC CDL">
      {(["slope", "offset", "power"] as const).map(row)}
      <Slider
        label="Saturation"
        value={now.saturation ?? 1}
        min={0}
        max={2}
        step={0.02}
        words={(now.saturation ?? 1).toFixed(2)}
        onChange={(saturation) => setNow({ ...now, saturation })}
        onDone={(saturation) => keep({ ...now, saturation })}
      />
    </fieldset>
  );
}
