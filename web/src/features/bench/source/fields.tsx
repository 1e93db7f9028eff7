interface CheckProps {
  words: string;
  on: boolean;
  disabled?: boolean;
  set: (on: boolean) => void;
}

export function Check({ words, on, disabled, set }: CheckProps) {
  return (
    <label className={`flex items-center gap-2 text-soft ${disabled ? "opacity-60" : ""}`}>
      <input
        type="checkbox"
        className="accent-[#b9a8f2]"
        checked={on}
        disabled={disabled}
        onChange={(event) => set(event.target.checked)}
      />
      {words}
    </label>
  );
}

interface PickProps {
  label: string;
  value: string;
  options: { value: string; words: string }[];
  onChange: (value: string) => void;
}

/** One of a list whose words are not its values. */
export function Pick({ label, value, options, onChange }: PickProps) {
  return (
    <label className="grid grid-cols-[70px_1fr] items-center gap-2">
      <span className="text-soft">{label}</span>
      <select
        aria-label={label}
        value={value}
        onChange={(event) => onChange(event.target.value)}
        className="h-[26px] w-full min-w-0 cursor-pointer truncate rounded-md border border-line bg-felt-1 px-1.5 text-soft hover:text-ink"
      >
        {options.map((option) => (
          <option key={option.value} value={option.value}>
            {option.words}
          </option>
        ))}
      </select>
    </label>
  );
}
