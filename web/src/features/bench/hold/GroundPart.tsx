import { X } from "lucide-react";
import type { Ground } from "../../../api/client";
import { Button } from "../../../ui/controls";
import { type Tool, useBench } from "../store";
import { redraft, wanted } from "./draft";
import type { PartProps } from "./part";

/** Which parts of the surface are read, and what is left out. */
export function GroundPart({ fix }: PartProps) {
  const { draft, tool, passing, frame, set } = useBench();
  const { ground } = wanted(fix, draft)!;
  const take = (next: Tool) => set({ tool: tool === next ? "look" : next, main: "shot", playing: false });
  const change = (part: Partial<Ground>) => redraft(fix, (now) => ({ ground: { ...now.ground, ...part } }));
  return (
    <>
      <ul aria-label="Shapes of the ground" className="flex flex-col gap-0.5">
        {ground.read.map((_, k) => (
          <Row
            // biome-ignore lint/suspicious/noArrayIndexKey: shapes have no name of their own
            key={`read ${k}`}
            words={`Read ${k + 1}`}
            take={ground.read.length > 1 ? () => change({ read: without(ground.read, k) }) : null}
          />
        ))}
        {ground.ignore.map((_, k) => (
          <Row
            // biome-ignore lint/suspicious/noArrayIndexKey: shapes have no name of their own
            key={`ignore ${k}`}
            words={`Ignored on the surface ${k + 1}`}
            take={() => change({ ignore: without(ground.ignore, k) })}
          />
        ))}
        {ground.passing.map(({ keys }, k) => (
          <Row
            // biome-ignore lint/suspicious/noArrayIndexKey: shapes have no name of their own
            key={`passing ${k}`}
            words={`Passes: ${keys.map((key) => key.frame).join(", ")}`}
            chosen={passing === k}
            choose={() => set({ passing: passing === k ? null : k, frame: keys[0]!.frame, playing: false })}
            take={() => {
              change({ passing: without(ground.passing, k) });
              set({ passing: null });
            }}
          />
        ))}
      </ul>
      <div className="flex flex-wrap gap-1.5">
        <Button
          tip="One more part of the surface: print, stitches, a seam. More to read holds better."
          onClick={() => take("read")}
        >
          Read more
        </Button>
        <Button tip="A part of the surface that moves or shines by itself" onClick={() => take("ignore")}>
          Ignore on it
        </Button>
        <Button
          tip={
            passing === null
              ? "Draw round what comes before it on this frame; choose it and draw again on other frames"
              : "Draw it again on this frame"
          }
          onClick={() => take("passing")}
        >
          {passing === null ? "Ignore what passes" : `Key it on ${frame}`}
        </Button>
        <Button
          tip="Draw round the part of the surface to read on the frame you see; it becomes the anchor."
          onClick={() => take("ground")}
        >
          Draw other ground
        </Button>
      </div>
      <p className="text-[11.5px] text-faint">
        Dotted is read, hatched is ignored. Lay trust on it to see what was used on each frame.
      </p>
    </>
  );
}

const without = <T,>(list: T[], k: number) => list.filter((_, i) => i !== k);

interface RowProps {
  words: string;
  chosen?: boolean;
  choose?: () => void;
  take: (() => void) | null;
}

function Row({ words, chosen, choose, take }: RowProps) {
  return (
    <li className={`flex h-6 items-center gap-2 rounded-md px-1.5 ${chosen ? "bg-felt-3" : ""}`}>
      {choose ? (
        <button type="button" className="min-w-0 flex-1 truncate text-left" aria-pressed={chosen} onClick={choose}>
          {words}
        </button>
      ) : (
        <span className="min-w-0 flex-1 truncate text-soft">{words}</span>
      )}
      {take && (
        <button type="button" aria-label={`Take away: ${words}`} className="text-faint hover:text-ink" onClick={take}>
          <X size={13} />
        </button>
      )}
    </li>
  );
}
