import { useState } from "react";

interface Props {
  label: string;
  value: string;
  /** Shown where nothing is written yet. */
  empty: string;
  className?: string;
  onKeep: (value: string) => void;
}

/** Words that become a field when they are clicked; Enter or leaving keeps, Escape does not. */
export function Written({ label, value, empty, className = "", onKeep }: Props) {
  const [now, setNow] = useState<string | null>(null);
  const keep = () => {
    if (now !== null && now.trim() !== value) onKeep(now.trim());
    setNow(null);
  };
  if (now === null)
    return (
      <button
        type="button"
        aria-label={`${label}: ${value || empty}`}
        title={`${label}; click to write`}
        className={`max-w-full cursor-text truncate rounded px-1 text-left hover:bg-felt-3 ${value ? "" : "text-faint"} ${className}`}
        onClick={() => setNow(value)}
      >
        {value || empty}
      </button>
    );
  return (
    <input
      // biome-ignore lint/a11y/noAutofocus: it has just been asked for
      autoFocus
      aria-label={label}
      value={now}
      onChange={(event) => setNow(event.target.value)}
      onBlur={keep}
      onKeyDown={(event) => {
        if (event.key === "Enter") keep();
        if (event.key === "Escape") setNow(null);
        event.stopPropagation();
      }}
      className={`w-full rounded bg-felt-0 px-1 select-text ${className}`}
    />
  );
}
