import type { Fix, Shot } from "../../../api/client";
import { useTells } from "../../../api/queries";
import { Button, Dot } from "../../../ui/controls";
import { nextLoud, running, TELLS, type TellName, tellLevel } from "../shared/levels";
import { Section } from "../shared/Section";
import { useBench } from "../store";
import { ReportPart } from "./ReportPart";

const WORDS: Record<TellName, string> = {
  drift: "the patch may slide on the surface",
  seam: "the edge shows as a step",
  light: "its light is not the surface's",
  texture: "it is softer or rougher",
  grain: "more or less grain than round it",
  flicker: "it jumps from frame to frame",
};

/** What gives the patch away, frame by frame. */
export function CheckStage({ shot, fix }: { shot: Shot; fix: Fix }) {
  const { frame, before, set } = useBench();
  const tells = useTells(fix).data;
  const rows = tells?.frames ?? [];
  const here = rows.find((row) => row.frame === frame);
  const loud = rows.filter((row) => TELLS.some((name) => row[name] >= 1));
  const most = fix.loud;
  const problem = tells?.problem ?? "";
  const busy = tells && tells.waiting > 0 && !running(fix.hold) && !problem;
  const next = nextLoud(rows, frame);
  const words = fix.lacks
    ? "not whole yet"
    : problem
      ? "not measured"
      : rows.length === 0
        ? "not measured yet"
        : loud.length
          ? `${loud.length} ${loud.length === 1 ? "frame" : "frames"} to look at`
          : "quiet";
  return (
    <Section
      stage="check"
      name="Check"
      words={busy ? `measuring, ${tells.waiting} to go` : words}
      figure={most && !fix.lacks ? most.value.toFixed(1) : ""}
      level={fix.lacks ? "none" : tellLevel(most?.value)}
      hint={{ words: "Hold B for before, let go, and look for what jumps. N goes where it is loudest.", done: before }}
    >
      {fix.lacks ? (
        <p className="text-soft">{fix.lacks}</p>
      ) : (
        <>
          {problem && (
            <p role="alert" className="text-loud">
              Not measured: {problem}
            </p>
          )}
          <table className="w-full" aria-label={`Tells on ${frame}`}>
            <tbody>
              {TELLS.map((name) => {
                const worst = rows.reduce<{ value: number; frame: number } | null>(
                  (best, row) =>
                    best === null || row[name] > best.value ? { value: row[name], frame: row.frame } : best,
                  null,
                );
                return (
                  <tr key={name} title={`${WORDS[name]}; 1.0 is about where a careful viewer notices`}>
                    <td className="text-soft">{name}</td>
                    <td className="figure w-14">
                      <span className="flex items-center gap-1.5">
                        <Dot level={tellLevel(here?.[name])} />
                        {here ? here[name].toFixed(1) : "–"}
                      </span>
                    </td>
                    <td className="text-right">
                      {worst && (
                        <button
                          type="button"
                          className="figure text-faint hover:text-ink"
                          onClick={() => set({ frame: worst.frame, playing: false })}
                        >
                          {worst.value.toFixed(1)} at {worst.frame}
                        </button>
                      )}
                    </td>
                  </tr>
                );
              })}
            </tbody>
          </table>
          {here?.stale && (
            <p className="text-[11.5px] text-faint">The fix has changed since; this frame is measured again.</p>
          )}
          {next !== null && (
            <Button onClick={() => set({ frame: next, playing: false, main: "shot" })}>
              Next that is not quiet (N)
            </Button>
          )}
          <p className="text-soft">
            Hold B for before, H to hide everything drawn. Play it at rate, zoom in, look at first, middle and last.
          </p>
        </>
      )}
      <ReportPart shot={shot} />
    </Section>
  );
}
