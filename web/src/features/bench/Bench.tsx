import { useIsMutating, useMutation } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import type { Fix, Shot } from "../../api/client";
import { useHere } from "../../api/here";
import { useAllTells, useFixes, useShot, useTells } from "../../api/queries";
import { say } from "../../ui/messages";
import { ClashDialog } from "./ClashDialog";
import { DeliverDialog } from "./deliver/DeliverDialog";
import { FixList } from "./fixes/FixList";
import { KeysDialog } from "./KeysDialog";
import { useKeys } from "./keys";
import { Pictures } from "./Pictures";
import { StageColumn } from "./StageColumn";
import { nextLoud, nextOfAll } from "./shared/levels";
import { openShot, useBench } from "./store";
import { TopBar } from "./TopBar";
import { TimeBar } from "./time/TimeBar";
import { takeStep } from "./undo";
import { usePlaying } from "./viewer/pictures";
import type { Room } from "./viewer/room";

/** The bench: one shot, its fixes, the pictures, the stages and time. */
interface BenchProps {
  shot: number;
  onLeave: () => void;
  onReview: () => void;
}

export function Bench({ shot: id, onLeave, onReview }: BenchProps) {
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
  return <Open shot={shot.data} fixes={fixes.data} onLeave={onLeave} onReview={onReview} />;
}

function Open({ shot, fixes, onLeave, onReview }: { shot: Shot; fixes: Fix[] } & Omit<BenchProps, "shot">) {
  const chosen = useBench((state) => state.fix);
  const fix = fixes.find((entry) => entry.id === chosen) ?? fixes[0] ?? null;
  const [delivering, setDelivering] = useState(false);
  const [help, setHelp] = useState(false);
  const rooms = useRef<Room[]>([]);
  const step = useMutation({
    mutationFn: (way: "undo" | "redo") => takeStep(way, shot.id, fix?.id ?? null),
    onError: (problem) => say(problem.message),
  }).mutate;
  const saving = useIsMutating() > 0;
  useHere(shot.id, fix?.id ?? null);
  usePlaying(shot, fixes);
  const tells = useTells(fix).data?.frames ?? [];
  const all = useAllTells(fixes);
  useKeys({
    shot,
    step,
    remove: () => rooms.current.forEach((room) => void room.remove?.()),
    loud: (frame) => nextLoud(tells, frame),
    loudOfAll: (frame) => nextOfAll(all, frame),
    help: () => setHelp(true),
  });
  return (
    <div className="flex h-full flex-col">
      <TopBar
        shot={shot}
        fix={fix}
        step={step}
        onLeave={onLeave}
        onHelp={() => setHelp(true)}
        onReview={onReview}
        saving={saving}
      />
      <div className="flex min-h-0 flex-1">
        <FixList shot={shot} fixes={fixes} />
        <Pictures shot={shot} fix={fix} fixes={fixes} rooms={rooms} />
        <StageColumn shot={shot} fix={fix} onDeliver={() => setDelivering(true)} />
      </div>
      <TimeBar shot={shot} fix={fix} fixes={fixes} />
      <ClashDialog />
      <KeysDialog open={help} onClose={() => setHelp(false)} />
      <DeliverDialog shot={shot} open={delivering} onClose={() => setDelivering(false)} />
    </div>
  );
}
