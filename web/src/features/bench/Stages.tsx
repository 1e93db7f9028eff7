import type { Fix, Shot } from "../../api/client";
import { useChange } from "../../api/queries";
import { Button } from "../../ui/controls";
import { say } from "../../ui/messages";
import { CheckStage } from "./CheckStage";
import { EdgeStage } from "./EdgeStage";
import { HoldStage } from "./hold/HoldStage";
import { MatchStage } from "./MatchStage";
import { SourceStage } from "./source/SourceStage";

/** The five stages of a fix, in the order of the work. */
export function Stages({ shot, fix, onDeliver }: { shot: Shot; fix: Fix | null; onDeliver: () => void }) {
  const change = useChange(shot.id, fix?.id ?? 0, (problem) => say(problem.message));
  return (
    <aside aria-label="Stages" className="stitch-l thin-scroll flex w-[298px] shrink-0 flex-col overflow-y-auto">
      {fix ? (
        <>
          <HoldStage shot={shot} fix={fix} change={change} />
          <EdgeStage shot={shot} fix={fix} change={change} />
          <SourceStage shot={shot} fix={fix} change={change} />
          <MatchStage shot={shot} fix={fix} change={change} />
          <CheckStage fix={fix} />
        </>
      ) : (
        <p className="p-3 text-soft">Choose a fix on the left, or circle something. Its five stages show here.</p>
      )}
      <div className="mt-auto p-3">
        <Button look="main" className="h-8 w-full" onClick={onDeliver}>
          Deliver
        </Button>
      </div>
    </aside>
  );
}
