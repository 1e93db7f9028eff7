import type { Schemas } from "../api/client";

/** Who did what, and when; newest first. */
export function LogList({ lines }: { lines: Schemas["LogOut"][] | undefined }) {
  if (!lines) return <p className="text-soft">Reading the log</p>;
  if (lines.length === 0) return <p className="text-soft">Nothing has been done yet.</p>;
  return (
    <table className="w-full" aria-label="Log">
      <tbody>
        {lines.map((line) => (
          <tr key={line.id} className="align-top">
            <td className="figure w-32 py-0.5 pr-3 whitespace-nowrap text-faint">
              {line.at.slice(0, 16).replace("T", " ")}
            </td>
            <td className="w-32 py-0.5 pr-3 whitespace-nowrap">{line.who || "the house"}</td>
            <td className="py-0.5 text-soft">
              {line.what}
              {line.about ? `: ${line.about}` : ""}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
