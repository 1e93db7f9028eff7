import { Slider as RadixSlider, ToggleGroup, Tooltip } from "radix-ui";
import type { ButtonHTMLAttributes, ReactNode } from "react";

type ButtonProps = ButtonHTMLAttributes<HTMLButtonElement> & { look?: "plain" | "main" | "dashed"; tip?: string };

const LOOKS = {
  plain: "bg-felt-2 hover:bg-felt-3 border border-transparent",
  main: "bg-thread text-felt-0 font-medium hover:brightness-110 border border-transparent",
  dashed: "border border-dashed border-line hover:border-soft bg-transparent text-soft hover:text-ink",
};

export function Button({ look = "plain", tip, className = "", ...rest }: ButtonProps) {
  const button = (
    <button
      type="button"
      className={`h-7 whitespace-nowrap rounded-md px-2.5 disabled:opacity-40 ${LOOKS[look]} ${className}`}
      {...rest}
    />
  );
  return tip ? <Tip words={tip}>{button}</Tip> : button;
}

export function Tip({ words, children }: { words: string; children: ReactNode }) {
  return (
    <Tooltip.Root>
      <Tooltip.Trigger asChild>{children}</Tooltip.Trigger>
      <Tooltip.Portal>
        <Tooltip.Content
          sideOffset={6}
          className="z-50 max-w-64 rounded-md border border-line bg-felt-0 px-2 py-1 text-[11.5px] text-soft shadow-lg"
        >
          {words}
        </Tooltip.Content>
      </Tooltip.Portal>
    </Tooltip.Root>
  );
}

interface ChoiceProps<T extends string> {
  label: string;
  value: T;
  options: { value: T; words: string; tip?: string; disabled?: boolean }[];
  onChange: (value: T) => void;
  wide?: boolean;
}

/** One of a few, side by side. */
export function Choice<T extends string>({ label, value, options, onChange, wide }: ChoiceProps<T>) {
  return (
    <ToggleGroup.Root
      type="single"
      aria-label={label}
      value={value}
      onValueChange={(next) => next && onChange(next as T)}
      className={`flex overflow-hidden rounded-md border border-line ${wide ? "w-full" : ""}`}
    >
      {options.map((option) => (
        <ToggleGroup.Item
          key={option.value}
          value={option.value}
          disabled={option.disabled}
          title={option.tip}
          className={`h-[26px] px-2.5 text-soft hover:text-ink disabled:opacity-40 data-[state=on]:bg-felt-3 data-[state=on]:text-ink ${wide ? "flex-1" : ""}`}
        >
          {option.words}
        </ToggleGroup.Item>
      ))}
    </ToggleGroup.Root>
  );
}

interface SliderProps {
  label: string;
  value: number;
  min: number;
  max: number;
  step?: number;
  words: string;
  disabled?: boolean;
  onChange: (value: number) => void;
  onDone?: (value: number) => void;
}

export function Slider({ label, value, min, max, step = 1, words, disabled, onChange, onDone }: SliderProps) {
  return (
    <div className="grid h-6 grid-cols-[70px_1fr_52px] items-center gap-2">
      <span className="text-soft">{label}</span>
      <RadixSlider.Root
        value={[value]}
        min={min}
        max={max}
        step={step}
        disabled={disabled}
        onValueChange={([next]) => onChange(next!)}
        onValueCommit={([next]) => onDone?.(next!)}
        className="relative flex h-5 touch-none items-center data-[disabled]:opacity-40"
      >
        <RadixSlider.Track className="relative h-[3px] grow rounded bg-felt-0">
          <RadixSlider.Range className="absolute h-full rounded bg-soft" />
        </RadixSlider.Track>
        <RadixSlider.Thumb
          aria-label={label}
          className="block size-3 rounded-full bg-ink focus-visible:outline-2 focus-visible:outline-thread"
        />
      </RadixSlider.Root>
      <span className="figure text-right text-soft">{words}</span>
    </div>
  );
}

/** A tell's colour, always beside its number. */
export function Dot({ level }: { level: "quiet" | "noticeable" | "loud" | "none" }) {
  const colour = { quiet: "bg-quiet", noticeable: "bg-noticeable", loud: "bg-loud", none: "bg-line" }[level];
  return <span className={`inline-block size-2 shrink-0 rounded-full ${colour}`} aria-hidden="true" />;
}

interface CheckProps {
  words: string;
  on: boolean;
  disabled?: boolean;
  set: (on: boolean) => void;
}

/** Something that is so or not, with its words. */
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

interface SelectProps {
  label: string;
  value: string;
  /** Values that are their own words, or values with words. */
  options: (string | { value: string; words: string })[];
  onChange: (value: string) => void;
  /** Without its label beside it. */
  bare?: boolean;
}

/** One of many, in a list that can be typed into. */
export function Select({ label, value, options, onChange, bare }: SelectProps) {
  const field = (
    <select
      aria-label={label}
      title={bare ? label : undefined}
      value={value}
      onChange={(event) => onChange(event.target.value)}
      className="h-[26px] w-full min-w-0 cursor-pointer truncate rounded-md border border-line bg-felt-1 px-1.5 text-soft hover:text-ink"
    >
      {options.map((option) => {
        const { value, words } = typeof option === "string" ? { value: option, words: option } : option;
        return (
          <option key={value} value={value}>
            {words}
          </option>
        );
      })}
    </select>
  );
  if (bare) return <div className="w-24">{field}</div>;
  return (
    <div className="grid grid-cols-[70px_1fr] items-center gap-2">
      <span className="text-soft">{label}</span>
      {field}
    </div>
  );
}
