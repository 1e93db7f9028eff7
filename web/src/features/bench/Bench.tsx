import { Redo2, Undo2 } from "lucide-react";
import { useEffect, useRef, useState } from "react";
import { client, type Fix, type Shot } from "../../api/client";
import { useChange, useFixes, useShot, useTells } from "../../api/queries";
import { Tip } from "../../ui/controls";
import { say } from "../../ui/messages";
import { CompareBar } from "./CompareBar";
import { DeliverDialog } from "./DeliverDialog";
import { FixList } from "./FixList";
import { useKeys } from "./keys";
import { nextLoud } from "./model";
import { Pictures } from "./Pictures";
import { usePlaying } from "./pictures";
import { Stages } from "./Stages";
import { openShot, useBench } from "./store";
import { TimeBar } from "./time/TimeBar";
import type { useHands } from "./useHands";

/** The bench: one shot, its fixes, the pictures, the stages and time. */
export function Bench({ shot: id, onLeave }: { shot: number; onLeave: () => void }) {
  const shot = useShot(id);
  const fixes = useFixes(id);
  const frame = useBench((state) => state.frame);
  const first = shot.data?.clip.first;
  useEffect(() => {
    if (first !== undefined) openShot(first);
  }, [first]);
  const problem = shot.error ?? fixes.error;
  if (problem)
    return (
      <div role="alert" className="grid h-full place-items-center">
        <div className="flex flex-col items-center gap-3">
          {problem.message}
          <button type="button" className="text-thread" onClick={onLeave}>
            Back to the jobs
          </button>
        </div>
      </div>
    );
  if (!shot.data || !fixes.data || frame < shot.data.clip.first || frame > shot.data.clip.last)
    return <p className="p-4 text-soft">Opening the shot</p>;
  return <Open shot={shot.data} fixes={fixes.data} onLeave={onLeave} />;
}

function Open({ shot, fixes, onLeave }: { shot: Shot; fixes: Fix[]; onLeave: () => void }) {
  const chosen = useBench((state) => state.fix);
  const fix = fixes.find((entry) => entry.id === chosen) ?? fixes[0] ?? null;
  const [delivering, setDelivering] = useState(false);
  const hands = useRef<ReturnType<typeof useHands> | null>(null);
  const change = useChange(shot.id, fix?.id ?? 0, (problem) => say(problem.message));
  const step = (way: "undo" | "redo") =>
    fix &&
    change.mutate(({ params, version }) =>
      client.POST(way === "undo" ? "/api/fixes/{fix}/undo" : "/api/fixes/{fix}/redo", { params, body: { version } }),
    );
  usePlaying(shot, fixes);
  const tells = useTells(fix).data?.frames ?? [];
  useKeys({ shot, step, remove: () => hands.current?.removeNode(), loud: (frame) => nextLoud(tells, frame) });
  return (
    <div className="flex h-full flex-col">
      <TopBar shot={shot} fix={fix} step={step} onLeave={onLeave} saving={change.isPending} />
      <div className="flex min-h-0 flex-1">
        <FixList shot={shot} fixes={fixes} />
        <Pictures
          shot={shot}
          fix={fix}
          fixes={fixes}
          onHands={(now) => {
            hands.current = now;
          }}
        />
        <Stages shot={shot} fix={fix} onDeliver={() => setDelivering(true)} />
      </div>
      <TimeBar shot={shot} fix={fix} fixes={fixes} />
      <DeliverDialog shot={shot} open={delivering} onClose={() => setDelivering(false)} />
    </div>
  );
}

interface TopBarProps {
  shot: Shot;
  fix: Fix | null;
  step: (way: "undo" | "redo") => void;
  onLeave: () => void;
  saving: boolean;
}

function TopBar({ shot, fix, step, onLeave, saving }: TopBarProps) {
  const icon = "grid size-7 place-items-center rounded-md text-soft hover:bg-felt-2 hover:text-ink disabled:opacity-30";
  return (
    <header className="stitch-b grid h-[42px] shrink-0 grid-cols-[1fr_auto_1fr] items-center px-3">
      <div className="flex min-w-0 items-center gap-3">
        <button type="button" onClick={onLeave} className="text-[14px]" title="To jobs and shots">
          <b className="font-semibold">hush</b> <span className="text-soft">patch</span>
        </button>
        <button type="button" onClick={onLeave} className="min-w-0 truncate text-soft hover:text-ink">
          {shot.job_name} <span className="text-faint">/</span> <b className="font-medium text-ink">{shot.name}</b>
        </button>
      </div>
      <CompareBar shot={shot} />
      <div className="flex items-center justify-end gap-1">
        <Tip words={fix?.undo ? `Undo ${fix.undo}` : "Nothing to undo"}>
          <button type="button" aria-label="Undo" disabled={!fix?.undo} className={icon} onClick={() => step("undo")}>
            <Undo2 size={15} />
          </button>
        </Tip>
        <Tip words={fix?.redo ? `Redo ${fix.redo}` : "Nothing to redo"}>
          <button type="button" aria-label="Redo" disabled={!fix?.redo} className={icon} onClick={() => step("redo")}>
            <Redo2 size={15} />
          </button>
        </Tip>
        <span className={`ml-2 w-12 text-right ${saving ? "text-soft" : "text-quiet"}`} data-testid="saved">
          {saving ? "saving" : "saved"}
        </span>
      </div>
    </header>
  );
}
