import { Clapperboard, Film, Folder, Images, Upload } from "lucide-react";
import { Dialog, Tabs } from "radix-ui";
import { useState } from "react";
import type { Job, Schemas } from "../../api/client";
import { keys, queries, useFootage } from "../../api/queries";
import { Button } from "../../ui/controls";
import { Edit } from "./Edit";
import { FoundForm } from "./FoundForm";
import { Uploader } from "./Uploader";
import { bytes, ranges } from "./words";

const UPLOADS = "uploads";

/** Footage into a job: from the storage, from this computer, or by an edit. */
export function BringIn({ job, open, onClose }: { job: Job; open: boolean; onClose: () => void }) {
  const [place, setPlace] = useState("");
  const [chosen, setChosen] = useState<string | null>(null);
  const [tab, setTab] = useState("storage");
  const done = () => {
    void queries.invalidateQueries({ queryKey: keys.jobs });
    setChosen(null);
    onClose();
  };
  const go = (to: string) => {
    setPlace(to);
    setChosen(null);
  };
  const tabs = [
    ["storage", "From the storage", Folder],
    ["upload", "From this computer", Upload],
    ["edit", "By an edit", Clapperboard],
  ] as const;
  return (
    <Dialog.Root open={open} onOpenChange={(now) => !now && onClose()}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-30 bg-black/50" />
        <Dialog.Content className="fixed top-1/2 left-1/2 z-40 flex h-[min(680px,92vh)] w-[min(1040px,94vw)] -translate-x-1/2 -translate-y-1/2 flex-col rounded-xl border border-line bg-felt-1 shadow-2xl">
          <Tabs.Root value={tab} onValueChange={setTab} className="flex min-h-0 flex-1 flex-col">
            <header className="stitch-b flex items-center gap-4 px-4 py-2.5">
              <Dialog.Title className="text-[15px] font-semibold">Bring footage into {job.name}</Dialog.Title>
              <Tabs.List className="ml-auto flex gap-1" aria-label="Where from">
                {tabs.map(([value, words, Icon]) => (
                  <Tabs.Trigger
                    key={value}
                    value={value}
                    className="flex h-7 items-center gap-1.5 rounded-md px-2.5 text-soft data-[state=active]:bg-felt-3 data-[state=active]:text-ink"
                  >
                    <Icon size={13} /> {words}
                  </Tabs.Trigger>
                ))}
              </Tabs.List>
              <Dialog.Close asChild>
                <Button>Close</Button>
              </Dialog.Close>
            </header>
            <Dialog.Description className="sr-only">
              Choose footage, check what it was found to be, bring it in.
            </Dialog.Description>
            <Tabs.Content value="storage" className="grid min-h-0 flex-1 grid-cols-[44%_1fr] outline-none">
              <Browser place={place} onGo={go} chosen={chosen} onChoose={setChosen} />
              <div className="stitch-l thin-scroll overflow-y-auto">
                {chosen ? (
                  <FoundForm job={job.id} place={chosen} onDone={done} />
                ) : (
                  <p className="p-6 text-soft">
                    Choose a sequence or a movie on the left. What it was found to be shows here and can be corrected
                    before it becomes a shot. Originals are only ever read.
                  </p>
                )}
              </div>
            </Tabs.Content>
            <Tabs.Content value="upload" className="min-h-0 flex-1 outline-none">
              <Uploader
                onArrived={() => {
                  void queries.invalidateQueries({ queryKey: ["footage"] });
                  go(UPLOADS);
                  setTab("storage");
                }}
              />
            </Tabs.Content>
            <Tabs.Content value="edit" className="min-h-0 flex-1 outline-none">
              <Edit job={job.id} onDone={done} />
            </Tabs.Content>
          </Tabs.Root>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}

interface BrowserProps {
  place: string;
  chosen: string | null;
  onGo: (place: string) => void;
  onChoose: (place: string) => void;
}

const under = (place: string, name: string) => (place ? `${place}/${name}` : name);

function Browser({ place, chosen, onGo, onChoose }: BrowserProps) {
  const footage = useFootage(place);
  const parts = place.split("/").filter(Boolean);
  return (
    <div className="thin-scroll flex flex-col overflow-y-auto p-3">
      <nav aria-label="Folder" className="mb-2 flex flex-wrap items-center gap-1 text-soft">
        <button type="button" className="hover:text-ink" onClick={() => onGo("")}>
          Footage storage
        </button>
        {parts.map((part, k) => (
          <span key={parts.slice(0, k + 1).join("/")}>
            {" / "}
            <button type="button" className="hover:text-ink" onClick={() => onGo(parts.slice(0, k + 1).join("/"))}>
              {part}
            </button>
          </span>
        ))}
      </nav>
      {footage.error && (
        <p role="alert" className="text-noticeable">
          {footage.error.message}
        </p>
      )}
      <ul className="flex flex-col gap-0.5">
        {footage.data?.folders.map((name) => (
          <li key={name}>
            <button
              type="button"
              onClick={() => onGo(under(place, name))}
              className="flex h-8 w-full items-center gap-2 rounded-md px-2 text-left hover:bg-felt-2"
            >
              <Folder size={14} className="text-soft" /> {name}
            </button>
          </li>
        ))}
        {footage.data?.found.map((found) => (
          <FoundRow
            key={found.place}
            found={found}
            chosen={chosen === under(place, found.place)}
            onChoose={() => onChoose(under(place, found.place))}
          />
        ))}
      </ul>
      {footage.data && footage.data.folders.length + footage.data.found.length === 0 && (
        <p className="p-2 text-soft">No footage here. Copy it into this folder, or send it from this computer.</p>
      )}
    </div>
  );
}

function FoundRow({ found, chosen, onChoose }: { found: Schemas["FoundOut"]; chosen: boolean; onChoose: () => void }) {
  const Icon = found.kind === "movie" ? Film : Images;
  return (
    <li>
      <button
        type="button"
        aria-pressed={chosen}
        onClick={onChoose}
        className={`flex w-full items-start gap-2 rounded-md px-2 py-1.5 text-left ${chosen ? "bg-felt-3" : "hover:bg-felt-2"}`}
      >
        <Icon size={14} className="mt-0.5 shrink-0 text-soft" />
        <span className="flex min-w-0 flex-col">
          <span className="truncate">{found.place}</span>
          <span className="figure text-faint">
            {found.kind === "movie" ? bytes(found.bytes) : `${found.first} to ${found.last}, ${found.count} frames`}
          </span>
          {found.missing.length > 0 && <span className="text-noticeable">missing {ranges(found.missing, 3)}</span>}
          {found.doubles.length > 0 && <span className="text-noticeable">twice {ranges(found.doubles, 3)}</span>}
        </span>
      </button>
    </li>
  );
}
