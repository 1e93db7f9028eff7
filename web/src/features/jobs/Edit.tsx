import { useRef, useState } from "react";
import { client, type Schemas } from "../../api/client";
import { send } from "../../api/queries";
import { Button } from "../../ui/controls";

type Cut = Schemas["CutOut"];

/** The shots of an edit (.otio, .edl), each with the footage found for it. */
export function Edit({ job, onDone }: { job: number; onDone: () => void }) {
  const [rate, setRate] = useState("24");
  const [handles, setHandles] = useState("8");
  const [cuts, setCuts] = useState<Cut[] | null>(null);
  const [problem, setProblem] = useState("");
  const [busy, setBusy] = useState(false);
  const file = useRef<HTMLInputElement>(null);
  const read = async (chosen: File | undefined) => {
    if (!chosen) return;
    setProblem("");
    const data = new FormData();
    data.append("file", chosen);
    data.append("rate", rate);
    try {
      setCuts(await send<Cut[]>("/api/edits", data));
    } catch (error) {
      setCuts(null);
      setProblem((error as Error).message);
    }
  };
  const make = async () => {
    setBusy(true);
    try {
      await client.POST("/api/jobs/{job}/conform", {
        params: { path: { job } },
        body: { cuts: cuts ?? [], handles: Number(handles) || 0 },
      });
      onDone();
    } catch (error) {
      setProblem((error as Error).message);
    }
    setBusy(false);
  };
  const ready = cuts?.filter((cut) => !cut.problem).length ?? 0;
  const box = "figure h-7 w-20 rounded-md border border-line bg-felt-0 px-2 select-text";
  return (
    <div className="flex h-full flex-col gap-3 p-4">
      <div className="flex items-center gap-3">
        <Button onClick={() => file.current?.click()}>Read an edit</Button>
        <input
          ref={file}
          type="file"
          accept=".otio,.edl"
          aria-label="Edit file"
          className="hidden"
          onChange={(event) => {
            void read(event.target.files?.[0]);
            event.target.value = "";
          }}
        />
        <label className="flex items-center gap-2 text-soft">
          Rate of an EDL
          <input aria-label="Rate of the edit" value={rate} onChange={(e) => setRate(e.target.value)} className={box} />
        </label>
        <label className="flex items-center gap-2 text-soft">
          Handles
          <input
            aria-label="Handles of the shots"
            value={handles}
            onChange={(e) => setHandles(e.target.value)}
            className={box}
          />
        </label>
        <Button look="main" className="ml-auto" disabled={ready === 0 || busy} onClick={() => void make()}>
          {busy ? "Making shots" : `Make ${ready} ${ready === 1 ? "shot" : "shots"}`}
        </Button>
      </div>
      {problem && (
        <p role="alert" className="text-noticeable">
          {problem}
        </p>
      )}
      {!cuts && (
        <p className="text-soft">
          An OpenTimelineIO file (.otio) or a CMX 3600 EDL (.edl). Footage is looked for in the storage by reel, file
          and clip name, and placed by timecode or frame number.
        </p>
      )}
      {cuts && (
        <div className="thin-scroll min-h-0 overflow-y-auto">
          <table className="w-full text-left">
            <thead className="text-faint">
              <tr>
                <th className="py-1 font-normal">Shot</th>
                <th className="font-normal">Used</th>
                <th className="font-normal">Rate</th>
                <th className="font-normal">Footage</th>
              </tr>
            </thead>
            <tbody>
              {cuts.map((cut, k) => (
                // biome-ignore lint/suspicious/noArrayIndexKey: an edit may use the same clip twice
                <tr key={k} className="border-felt-3 border-t align-top">
                  <td className="py-1.5 pr-3">{cut.name}</td>
                  <td className="figure py-1.5 pr-3 text-soft">
                    {cut.cut_in ?? cut.first} to {cut.cut_out ?? cut.last}
                  </td>
                  <td className="figure py-1.5 pr-3 text-soft">{cut.rate.replace("/1", "")}</td>
                  <td className={`py-1.5 ${cut.problem ? "text-noticeable" : "text-soft"}`}>
                    {cut.problem || cut.place}
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      )}
    </div>
  );
}
