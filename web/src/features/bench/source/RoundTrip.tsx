import { useRef, useState } from "react";
import { client, type Fix } from "../../../api/client";
import { keepFix, send } from "../../../api/queries";
import { Button, Select } from "../../../ui/controls";
import { say } from "../../../ui/messages";
import type { PanelProps } from "../shared/panel";

const FORMS = { "TIFF, 16 bit": "tif", "OpenEXR, half, linear": "exr", "PNG, 16 bit": "png" } as const;

/** How the plate begins, and its way out to an image editor and back. */
export function RoundTrip({ fix, change }: PanelProps) {
  const [form, setForm] = useState<keyof typeof FORMS>("TIFF, 16 bit");
  const [crop, setCrop] = useState(true);
  const [busy, setBusy] = useState(false);
  const input = useRef<HTMLInputElement>(null);
  const plate = fix.plate!;
  const out = (guide: boolean) =>
    `/api/fixes/${fix.id}/plates/${plate.id}/out?form=${FORMS[form]}&crop=${crop}${guide ? "&guide=true" : ""}`;
  const back = async (file: File) => {
    setBusy(true);
    const data = new FormData();
    data.set("version", String(fix.version));
    data.set("file", file);
    try {
      keepFix(await send<Fix>(`/api/fixes/${fix.id}/plates/${plate.id}/back`, data));
    } catch (problem) {
      say((problem as Error).message);
    }
    setBusy(false);
  };
  const start = (part: { start?: "below" | "shot"; average?: number }) =>
    change.mutate(({ params, version }) =>
      client.POST("/api/fixes/{fix}/plates/start", {
        params,
        body: { version, plate: plate.id, start: plate.start as "below", average: plate.average, ...part },
      }),
    );
  const current = plate.issues.find((issue) => issue.id === plate.id);
  return (
    <details className="text-soft">
      <summary className="cursor-pointer hover:text-ink">
        Plate {plate.frame}: start, out and back{current?.outside ? `, issue ${current.issue}` : ""}
      </summary>
      <div className="flex flex-col gap-2 pt-2">
        <Button
          tip="The mean of aligned frames round it: the same surface without its grain"
          onClick={() => start({ average: plate.average ? 0 : 8 })}
        >
          {plate.average ? `Mean of ${plate.average + 1} frames; use one` : "Use the mean of 9 frames"}
        </Button>
        <label className="flex items-center gap-2">
          <input
            type="checkbox"
            className="accent-[#b9a8f2]"
            checked={plate.start === "below"}
            onChange={(event) => start({ start: event.target.checked ? "below" : "shot" })}
          />
          Begin from the result of the fixes below
        </label>
        <Select
          label="Send as"
          value={form}
          options={Object.keys(FORMS)}
          onChange={(value) => setForm(value as keyof typeof FORMS)}
        />
        <label className="flex items-center gap-2">
          <input
            type="checkbox"
            className="accent-[#b9a8f2]"
            checked={crop}
            onChange={(event) => setCrop(event.target.checked)}
          />
          Only the part round the mark
        </label>
        <div className="flex flex-wrap gap-1">
          <a className="rounded-md bg-felt-2 px-2.5 py-1 text-ink hover:bg-felt-3" href={out(false)} download>
            Send out
          </a>
          <a className="rounded-md bg-felt-2 px-2.5 py-1 text-ink hover:bg-felt-3" href={out(true)} download>
            Its matte
          </a>
          <Button
            disabled={busy}
            tip="The same picture, retouched elsewhere: it becomes the next issue"
            onClick={() => input.current?.click()}
          >
            {busy ? "Checking it" : "Bring back"}
          </Button>
        </div>
        <input
          ref={input}
          type="file"
          aria-label="Picture that came back"
          accept=".tif,.tiff,.exr,.png"
          className="hidden"
          onChange={(event) => {
            const file = event.target.files?.[0];
            event.target.value = "";
            if (file) void back(file);
          }}
        />
        {plate.issues.length > 1 && (
          <Select
            label="Issue"
            value={issueWords(plate.issues, plate.id)}
            options={plate.issues.map((issue) => issueWords(plate.issues, issue.id))}
            onChange={(value) => {
              const issue = plate.issues.find((one) => issueWords(plate.issues, one.id) === value);
              if (issue)
                change.mutate(({ params, version }) =>
                  client.POST("/api/fixes/{fix}/plates/issue", {
                    params,
                    body: { version, plate: plate.id, issue: issue.id },
                  }),
                );
            }}
          />
        )}
      </div>
    </details>
  );
}

function issueWords(issues: { id: number; issue: number; outside: boolean }[], id: number): string {
  const k = issues.findIndex((one) => one.id === id);
  const one = issues[k];
  return one ? `${k + 1}: ${one.outside ? "came back" : "painted here"}` : "";
}
