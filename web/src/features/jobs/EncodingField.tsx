import { Popover } from "radix-ui";
import { useId, useRef, useState } from "react";
import { useColour } from "../../api/queries";
import { Field } from "./fields";

/** Entries that hold every word that was typed, in their order: the usual ones come first from the server. */
export function matching<Entry extends { words: string }>(entries: Entry[], typed: string): Entry[] {
  const words = typed.toLowerCase().split(/\s+/).filter(Boolean);
  return entries.filter((entry) => words.every((word) => entry.words.toLowerCase().includes(word)));
}

/** What the clip's values mean: a list to search, arrow through and take from with Enter. */
export function EncodingField({
  value,
  note,
  onChange,
}: {
  value: string;
  note: string;
  onChange: (space: string) => void;
}) {
  const { data: colour } = useColour();
  const [open, setOpen] = useState(false);
  const [typed, setTyped] = useState("");
  const [at, setAt] = useState(0);
  const list = useRef<HTMLDivElement>(null);
  const id = useId();
  const every = colour?.encodings ?? [];
  const found = every.find((entry) => entry.space === value);
  const rest = every.filter((entry) => entry !== found);
  const shown = matching(found ? [found, ...rest] : rest, typed);
  const take = (space: string) => {
    onChange(space);
    setOpen(false);
  };
  const step = (by: number) => {
    const next = Math.max(0, Math.min(shown.length - 1, at + by));
    setAt(next);
    list.current?.children[next]?.scrollIntoView({ block: "nearest" });
  };
  return (
    <Field label="Encoding" note={note}>
      <Popover.Root
        open={open}
        onOpenChange={(now) => {
          setOpen(now);
          setTyped("");
          setAt(0);
        }}
      >
        <Popover.Trigger
          aria-label={`Encoding: ${found?.words ?? value}`}
          className="h-7 w-64 truncate rounded-md border border-line bg-felt-0 px-2 text-left"
        >
          {found?.words ?? value}
        </Popover.Trigger>
        <Popover.Portal>
          <Popover.Content
            align="start"
            sideOffset={4}
            className="z-50 flex w-72 flex-col gap-1 rounded-md border border-line bg-felt-2 p-1.5"
          >
            <input
              role="combobox"
              aria-label="Search encodings"
              aria-expanded
              aria-controls={id}
              aria-activedescendant={shown[at] ? `${id}-${at}` : undefined}
              placeholder="Type a few letters: log3, 709, linear"
              value={typed}
              onChange={(event) => {
                setTyped(event.target.value);
                setAt(0);
              }}
              onKeyDown={(event) => {
                if (event.key === "ArrowDown") step(1);
                else if (event.key === "ArrowUp") step(-1);
                else if (event.key === "Enter" && shown[at]) take(shown[at].space);
                else return;
                event.preventDefault();
              }}
              className="h-7 rounded-md border border-line bg-felt-0 px-2 select-text"
            />
            <div ref={list} id={id} role="listbox" aria-label="Encodings" className="max-h-64 overflow-y-auto">
              {shown.map((entry, k) => (
                <div
                  key={entry.space}
                  id={`${id}-${k}`}
                  role="option"
                  tabIndex={-1}
                  aria-selected={entry.space === value}
                  onClick={() => take(entry.space)}
                  onKeyDown={(event) => event.key === "Enter" && take(entry.space)}
                  onPointerMove={() => setAt(k)}
                  className={`truncate rounded px-2 py-1 ${k === at ? "bg-felt-3" : ""} ${entry.space === value ? "text-thread" : ""}`}
                >
                  {entry.words}
                </div>
              ))}
              {shown.length === 0 && <p className="px-2 py-1 text-soft">No encoding is called that.</p>}
            </div>
          </Popover.Content>
        </Popover.Portal>
      </Popover.Root>
    </Field>
  );
}
