import { client, type Shot } from "../../../api/client";
import { keys, queries } from "../../../api/queries";
import { useReport } from "../../../api/reviews";
import { Button } from "../../../ui/controls";
import { say } from "../../../ui/messages";

/** The shot on paper: a report with plots, notes and proof, and a contact sheet as a picture. */
export function ReportPart({ shot }: { shot: Shot }) {
  const report = useReport(shot.id).data;
  const ask = () =>
    void client
      .POST("/api/shots/{shot}/report", { params: { path: { shot: shot.id } } })
      .catch((problem: Error) => say(problem.message))
      .finally(() => queries.invalidateQueries({ queryKey: keys.report(shot.id) }));
  const link = (name: string, words: string) => (
    <a
      href={`/api/shots/${shot.id}/report/${name}?made=${encodeURIComponent(report?.made ?? "")}`}
      target="_blank"
      rel="noreferrer"
      className="text-thread hover:underline"
    >
      {words}
    </a>
  );
  const busy = report?.asked && !report.made && !report.problem;
  return (
    <div className="stitch-t flex flex-col gap-1.5 pt-2">
      <div className="flex items-center gap-3">
        <Button disabled={busy} onClick={ask}>
          {busy ? "Making the report" : report?.made ? "Make it anew" : "Make a report"}
        </Button>
        {report?.made && (
          <>
            {link("report.pdf", "PDF")}
            {link("report.html", "HTML")}
            {link("sheet.png", "Contact sheet")}
          </>
        )}
      </div>
      {report?.problem && <p role="alert">{report.problem}</p>}
    </div>
  );
}
