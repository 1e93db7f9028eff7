import { Slider } from "../../../ui/controls";

/** A slider of a share, shown in percent. */
export function Percent({
  label,
  value,
  least = 0,
  set,
}: {
  label: string;
  value: number;
  least?: number;
  set: (value: number) => void;
}) {
  return (
    <Slider
      label={label}
      value={Math.round(value * 100)}
      min={least}
      max={100}
      words={`${Math.round(value * 100)} %`}
      onChange={(next) => set(next / 100)}
    />
  );
}
