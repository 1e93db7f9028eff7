import { Keyboard, Redo2, Undo2 } from "lucide-react";
import type { Fix, Shot } from "../../api/client";
import { Tip } from "../../ui/controls";
import { CompareBar } from "./compare/CompareBar";
import { ReviewMenu } from "./notes/ReviewMenu";
import { OthersHere } from "./shared/OthersHere";
import { nextStep } from "./undo";

interface TopBarProps {
  shot: Shot;
  fix: Fix | null;
  step: (way: "undo" | "redo") => void;
  onLeave: () => void;
  onHelp: () => void;
  onReview: () => void;
  saving: boolean;
}

/** Where we are, how it is looked at, the way back. */
export function TopBar({ shot, fix, step, onLeave, onHelp, onReview, saving }: TopBarProps) {
  const back = nextStep("undo", shot, fix);
  const again = nextStep("redo", shot, fix);
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
        <OthersHere shot={shot.id} />
      </div>
      <CompareBar shot={shot} />
      <div className="flex items-center justify-end gap-1">
        <Tip words={back ? `Undo: ${back.words}` : "Nothing to undo"}>
          <button type="button" aria-label="Undo" disabled={!back} className={icon} onClick={() => step("undo")}>
            <Undo2 size={15} />
          </button>
        </Tip>
        <Tip words={again ? `Redo: ${again.words}` : "Nothing to redo"}>
          <button type="button" aria-label="Redo" disabled={!again} className={icon} onClick={() => step("redo")}>
            <Redo2 size={15} />
          </button>
        </Tip>
        <Tip words="Keys (?)">
          <button type="button" aria-label="Keys" className={icon} onClick={onHelp}>
            <Keyboard size={15} />
          </button>
        </Tip>
        <ReviewMenu shot={shot} onReview={onReview} />
        <span className={`ml-1 w-12 text-right ${saving ? "text-soft" : "text-quiet"}`} data-testid="saved">
          {saving ? "saving" : "saved"}
        </span>
      </div>
    </header>
  );
}
