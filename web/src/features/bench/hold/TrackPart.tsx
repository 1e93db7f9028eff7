import { ChevronLeft, ChevronRight, ChevronsLeft, ChevronsRight } from "lucide-react";
import { useState } from "react";
import { Button, Choice, Dot, Select, Tip } from "../../../ui/controls";
import { isHeld } from "../shared/holds";
import { running } from "../shared/levels";
import { useBench } from "../store";
import { isChanged, KINDS, redraft, wanted, withKind } from "./draft";
import type { PartProps } from "./part";
import type { Laid } from "./slice";

const LAID: { value: Laid; words: string }[] = [
  { value: "mesh", words: "its mesh" },
  { value: "lines", words: "lines" },
  { value: "checker", words: "checks" },
  { value: "trust", words: "trust: where it is weak" },
  { value: "none", words: "nothing" },
];
const SHOWN = 3; // weak stretches at once

/** Measuring, and judging what was measured. */
export function TrackPart(props: PartProps) {
  const { fix, hold, changes } = props;
  const { draft, laid, testLine, tool, set } = useBench();
  const now = wanted(fix, draft)!;
  const busy = running(hold);
  return (
    <>
      <Choice
        label="Kind of hold"
        wide
        value={now.method.took ? "auto" : now.method.kind}
        onChange={(kind) => redraft(fix, (given) => withKind(fix, given, kind))}
        options={KINDS}
      />
      {isChanged(fix, draft) && (
        <p className="text-noticeable">
          Changed, not tracked yet.{" "}
          <button type="button" className="text-thread" onClick={() => set({ draft: null })}>
            Put back
          </button>
        </p>
      )}
      <p className="text-soft" role="status">
        {progress(props)}
      </p>
      <Otherwise {...props} />
      <div className="flex flex-wrap gap-1.5">
        {busy ? (
          <Button onClick={() => changes.ask("stop")}>Stop</Button>
        ) : (
          <>
            <Button className="px-2" tip="Only what comes before the anchor" onClick={() => changes.track("back")}>
              Back
            </Button>
            <Button
              className="flex-1 px-2"
              look={isChanged(fix, draft) ? "main" : "plain"}
              tip={`Measure every frame anew from the anchor, ${hold.anchor}`}
              onClick={() => changes.track("both")}
            >
              Track both ways
            </Button>
            <Button className="px-2" tip="Only what comes after the anchor" onClick={() => changes.track("ahead")}>
              Ahead
            </Button>
          </>
        )}
        {!busy && hold.state !== "done" && (
          <Button onClick={() => changes.ask("go-on")}>Take up where it stopped</Button>
        )}
      </div>
      {!busy && <Onward {...props} />}
      <Weak {...props} />
      <Select
        label="Laid on it"
        value={LAID.find((entry) => entry.value === laid)!.words}
        options={LAID.map((entry) => entry.words)}
        onChange={(words) => set({ laid: LAID.find((entry) => entry.words === words)!.value })}
      />
      <div className="flex flex-wrap gap-1.5">
        <Button
          tip="Draw a line across the surface, then play: it must lie still on it"
          onClick={() => set(testLine ? { testLine: null } : { tool: tool === "line" ? "look" : "line" })}
        >
          {testLine ? "Wipe the line" : "Test line"}
        </Button>
        {!busy && hold.state === "done" && (
          <Button
            tip="Once more against a template made of many frames. Helps where footage is grainy or the surface plain."
            onClick={changes.secondPass}
          >
            Second pass
          </Button>
        )}
      </div>
    </>
  );
}

const WORKS: Record<string, string> = {
  track: "Tracking",
  redo: "Redoing",
  second: "Second pass",
  smooth: "Smoothing",
};

/** Surfaces that are tried before one is chosen, in their order. */
const TRIED: Record<string, string> = {
  plane: "a flat plane",
  stiff: "a stiff sheet",
  cloth: "cloth",
};

function progress({ hold }: PartProps): string {
  const total = hold.last - hold.first + 1;
  const held = hold.frames.length + 1;
  const lost = hold.frames.filter((frame) => frame.lost).length;
  if (running(hold) && hold.trying) {
    const tried = Object.keys(TRIED);
    return `Trying which surface fits: ${TRIED[hold.trying] ?? hold.trying}, ${tried.indexOf(hold.trying) + 1} of ${tried.length}`;
  }
  if (hold.state === "waiting" && hold.done === 0) return "Waiting for its turn: other work is under way.";
  if (running(hold)) return `${WORKS[hold.work] ?? "Working"}: ${hold.done} of ${hold.wanted} frames`;
  if (hold.state === "failed") return `${hold.problem} ${held} of ${total} frames are kept.`;
  if (hold.settling)
    return `Held on ${held} frames. Looking once more where it is weak: for the mark, in its clearest channel, on a wider ground, as a stiff body.`;
  if (held >= total) return `Held on all ${held} frames, anchor ${hold.anchor}${lost ? `; lost on ${lost}` : ""}`;
  return `${hold.state === "stopped" ? "Stopped. " : ""}Held on ${held} of ${total} frames, anchor ${hold.anchor}${lost ? `; lost on ${lost}` : ""}`;
}

/** Which frames were not simply followed, and how they are held; a click goes to the first. */
function Otherwise({ hold }: PartProps) {
  const set = useBench((state) => state.set);
  if (hold.otherwise.length === 0 || running(hold) || hold.settling) return null;
  return (
    <ul aria-label="Held otherwise" className="flex flex-col">
      {hold.otherwise.map(({ how, first, words }) => (
        <li key={how}>
          <button
            type="button"
            title="Go there. What is tried is chosen in Method"
            className="w-full rounded-md px-1.5 py-0.5 text-left text-[11.5px] text-faint hover:bg-felt-2"
            onClick={() => set({ frame: first, playing: false, main: "shot" })}
          >
            {words}
          </button>
        </li>
      ))}
    </ul>
  );
}

/** Going on from the frame that is looked at. */
function Onward({ hold, changes }: PartProps) {
  const frame = useBench((state) => state.frame);
  const range = useBench((state) => state.range);
  const [renew, setRenew] = useState(false);
  if (!isHeld(hold, frame))
    return <p className="text-soft">Not held on {frame}. Go to a frame that is, and go on from there.</p>;
  const button =
    "grid h-[26px] flex-1 place-items-center rounded-md bg-felt-2 text-soft hover:bg-felt-3 hover:text-ink disabled:opacity-40";
  const ways = [
    {
      name: "Track back from here",
      Icon: ChevronsLeft,
      way: "back" as const,
      until: range && range.first < frame ? range.first : null,
    },
    { name: "Track one frame back", Icon: ChevronLeft, way: "back" as const, until: frame - 1 },
    { name: "Track one frame on", Icon: ChevronRight, way: "ahead" as const, until: frame + 1 },
    {
      name: "Track on from here",
      Icon: ChevronsRight,
      way: "ahead" as const,
      until: range && range.last > frame ? range.last : null,
    },
  ];
  return (
    <div className="flex flex-col gap-1.5">
      <div className="flex items-center gap-1.5">
        <span className="w-[70px] shrink-0 text-soft">From {frame}</span>
        {ways.map(({ name, Icon, way, until }) => (
          <Tip key={name} words={until === null ? name : `${name}, to ${until}`}>
            <button
              type="button"
              aria-label={name}
              className={button}
              disabled={way === "ahead" ? frame >= hold.last : frame <= hold.first}
              onClick={() => changes.onward(frame, way, until, renew)}
            >
              <Icon size={14} />
            </button>
          </Tip>
        ))}
      </div>
      <label
        className="flex items-center gap-2 text-soft"
        title={`Where the surface does not look at ${frame} as on the anchor`}
      >
        <input
          type="checkbox"
          checked={renew}
          onChange={(event) => setRenew(event.target.checked)}
          className="accent-[#b9a8f2]"
        />
        New template from {frame}
      </label>
    </div>
  );
}

/** Where it is weak, in words; a click goes there. */
function Weak({ hold }: PartProps) {
  const set = useBench((state) => state.set);
  const [all, setAll] = useState(false);
  const order = ["cut", "lost", "black", "comb", "drift", "covered", "off-frame"];
  const weak = [...hold.weak].sort((a, b) => order.indexOf(a.kind) - order.indexOf(b.kind));
  if (weak.length === 0 || running(hold)) return null;
  return (
    <ul aria-label="Weak stretches" className="flex flex-col gap-1">
      {(all ? weak : weak.slice(0, SHOWN)).map((one) => (
        <li key={`${one.first} ${one.kind}`}>
          <button
            type="button"
            className="flex w-full gap-2 rounded-md px-1.5 py-1 text-left hover:bg-felt-2"
            onClick={() => set({ frame: one.worst, playing: false, main: "shot", laid: "trust" })}
          >
            <span className="pt-1">
              <Dot level={["drift", "covered", "off-frame"].includes(one.kind) ? "noticeable" : "loud"} />
            </span>
            <span>{one.words}</span>
          </button>
        </li>
      ))}
      {weak.length > SHOWN && (
        <li>
          <button type="button" className="px-1.5 text-thread" onClick={() => setAll(!all)}>
            {all ? "Fewer" : `${weak.length - SHOWN} more`}
          </button>
        </li>
      )}
    </ul>
  );
}
