interface Props<T extends string> {
  label: string;
  value: T;
  ways: Partial<Record<T, { name: string; words: string }>>;
  /** Why a way does not fit; empty when it does. */
  disabled?: (way: T) => string;
  columns?: string;
  onChange: (way: T) => void;
}

/** One of some, in rows, and a line that says what the chosen one is for. */
export function WayPicker<T extends string>({ label, value, ways, disabled, onChange, columns }: Props<T>) {
  return (
    <>
      <div role="radiogroup" aria-label={label} className={`grid gap-1 ${columns ?? "grid-cols-3"}`}>
        {(Object.keys(ways) as T[]).map((way) => {
          const why = disabled?.(way) ?? "";
          return (
            <button
              key={way}
              type="button"
              role="radio"
              aria-checked={way === value}
              aria-disabled={why !== ""}
              title={why || ways[way]?.words}
              onClick={() => !why && onChange(way)}
              className={`h-[26px] truncate rounded-md border px-1 ${way === value ? "border-thread bg-felt-3 text-ink" : "border-line text-soft hover:text-ink"} ${why ? "opacity-40" : ""}`}
            >
              {ways[way]?.name}
            </button>
          );
        })}
      </div>
      <p className="text-soft">{ways[value]?.words}</p>
    </>
  );
}
