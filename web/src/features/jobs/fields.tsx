import type { ReactNode } from "react";

/** What a person gave, as typed. */
export interface Given {
  name: string;
  rate: string;
  first: string;
  cut_in: string;
  cut_out: string;
  handles: string;
  timecode: string;
  pixel_aspect: string;
  space: string;
}

/** A row of a form: its label, its fields, and what they mean. */
export function Field({ label, note, children }: { label: string; note?: string; children: ReactNode }) {
  return (
    <div className="grid grid-cols-[88px_1fr] items-start gap-2">
      <span className="pt-1.5 text-soft">{label}</span>
      <div className="flex flex-col gap-0.5">
        <div className="flex items-center gap-2">{children}</div>
        {note && <span className="text-[11.5px] text-faint">{note}</span>}
      </div>
    </div>
  );
}

interface TextProps {
  label: string;
  value: string;
  onChange: (value: string) => void;
  note?: string;
  wide?: boolean;
}

export function TextField({ label, value, onChange, note, wide }: TextProps) {
  return (
    <Field label={label} note={note}>
      <input
        aria-label={label}
        value={value}
        onChange={(event) => onChange(event.target.value)}
        className={`h-7 rounded-md border border-line bg-felt-0 px-2 select-text ${wide ? "w-64" : "figure w-32"}`}
      />
    </Field>
  );
}

/** What of the clip is worked on. */
export function CutField({ given, onChange }: { given: Given; onChange: (part: Partial<Given>) => void }) {
  const box = (label: string, key: "cut_in" | "cut_out" | "handles", wide: string) => (
    <input
      aria-label={label}
      placeholder={label.toLowerCase()}
      value={given[key]}
      onChange={(event) => onChange({ [key]: event.target.value })}
      className={`figure h-7 rounded-md border border-line bg-felt-0 px-2 select-text ${wide}`}
    />
  );
  return (
    <Field label="In and out" note="Empty: all of it. Handles are worked on and delivered too.">
      {box("In", "cut_in", "w-20")}
      {box("Out", "cut_out", "w-20")}
      <span className="text-soft">handles</span>
      {box("Handles", "handles", "w-14")}
    </Field>
  );
}
