import { type DragEvent, useRef, useState } from "react";
import { Button } from "../../ui/controls";
import { sendFiles, stopUploads, useUploads } from "./uploads";
import { bytes } from "./words";

const STATES = { waiting: "waiting", sending: "", done: "arrived", failed: "", stopped: "stopped" };

/** Files from this computer into the storage, with how far each is. */
export function Uploader({ onArrived }: { onArrived: () => void }) {
  const [folder, setFolder] = useState("");
  const [over, setOver] = useState(false);
  const files = useUploads((state) => state.files);
  const one = useRef<HTMLInputElement>(null);
  const whole = useRef<HTMLInputElement>(null);
  const send = (chosen: Iterable<File>) => {
    const list = [...chosen].filter((file) => !file.name.startsWith("."));
    if (list.length)
      sendFiles(list, folder, () => {
        if (!useUploads.getState().files.some((file) => file.state === "failed" || file.state === "stopped"))
          onArrived();
      });
  };
  const drop = (event: DragEvent) => {
    event.preventDefault();
    setOver(false);
    send(event.dataTransfer.files);
  };
  const busy = files.some((file) => file.state === "sending" || file.state === "waiting");
  const total = files.reduce((sum, file) => sum + file.size, 0);
  const sent = files.reduce((sum, file) => sum + file.sent, 0);
  return (
    <div className="flex h-full flex-col gap-3 p-4">
      <div
        onDragOver={(event) => {
          event.preventDefault();
          setOver(true);
        }}
        onDragLeave={() => setOver(false)}
        onDrop={drop}
        className={`flex flex-col items-center gap-3 rounded-xl border border-dashed p-7 ${over ? "border-thread" : "border-line"}`}
      >
        <p className="text-center text-soft">
          Drop movies or the frames of a sequence here. What breaks off goes on where it stopped when the same files are
          chosen again.
        </p>
        <div className="flex items-center gap-2">
          <Button onClick={() => one.current?.click()}>Choose files</Button>
          <Button onClick={() => whole.current?.click()}>Choose a folder</Button>
          <input
            aria-label="Into folder"
            placeholder="into a folder, if you like"
            value={folder}
            onChange={(event) => setFolder(event.target.value)}
            className="h-7 w-48 rounded-md border border-line bg-felt-0 px-2 select-text"
          />
        </div>
        <input
          ref={one}
          type="file"
          multiple
          aria-label="Files to send"
          className="hidden"
          onChange={(e) => send(e.target.files ?? [])}
        />
        <input
          ref={whole}
          type="file"
          aria-label="Folder to send"
          className="hidden"
          {...{ webkitdirectory: "" }}
          onChange={(e) => send(e.target.files ?? [])}
        />
      </div>
      {files.length > 0 && (
        <div className="flex items-center gap-3">
          <span className="figure text-soft" role="status">
            {files.filter((file) => file.state === "done").length} of {files.length} arrived, {bytes(sent)} of{" "}
            {bytes(total)}
          </span>
          {busy && <Button onClick={stopUploads}>Stop</Button>}
        </div>
      )}
      <ul className="thin-scroll flex min-h-0 flex-col gap-1 overflow-y-auto">
        {files.map((file, k) => (
          // biome-ignore lint/suspicious/noArrayIndexKey: the list only grows
          <li key={k} className="flex flex-col gap-0.5">
            <div className="flex gap-3">
              <span className="min-w-0 flex-1 truncate">{file.name}</span>
              <span className="figure text-faint">
                {STATES[file.state] || `${Math.round((100 * file.sent) / Math.max(1, file.size))} %`}
              </span>
            </div>
            <div className="h-0.5 rounded bg-felt-3">
              <div
                className="h-full rounded bg-thread"
                style={{ width: `${(100 * file.sent) / Math.max(1, file.size)}%` }}
              />
            </div>
            {file.problem && <span className="text-noticeable">{file.problem}</span>}
          </li>
        ))}
      </ul>
    </div>
  );
}
