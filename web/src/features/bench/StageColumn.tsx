import { useChange } from "../../api/changes";
import type { Fix, Shot } from "../../api/client";
import { Button } from "../../ui/controls";
import { say } from "../../ui/messages";
import { STAGES } from "./stages";

/** The stages of a fix, one below the other. */
export function StageColumn({ shot, fix, onDeliver }: { shot: Shot; fix: Fix | null; onDeliver: () => void }) {
  const change = useChange(shot.id, fix?.id ?? 0, (problem) => say(problem.message));
  return (
    <aside aria-label="Stages" className="stitch-l flex w-[298px] shrink-0 flex-col">
      <div className="thin-scroll min-h-0 flex-1 overflow-y-auto">
        {fix ? (
          STAGES.map(({ id, Panel }) => <Panel key={id} shot={shot} fix={fix} change={change} />)
        ) : (
          <p className="p-3 text-soft">Choose a fix on the left, or circle something. Its five stages show here.</p>
        )}
      </div>
      <div className="stitch-t px-3 py-2">
        <Button look="main" className="h-8 w-full" onClick={onDeliver}>
          Deliver
        </Button>
      </div>
    </aside>
  );
}
