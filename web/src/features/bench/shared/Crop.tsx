import { useEffect, useState } from "react";
import { QuietLoader } from "../../../canvas/quiet";

const AT_ONCE = 2;
const SETTLE = 350; // ms without another change before a crop is asked for anew
const loader = new QuietLoader(AT_ONCE);

interface Props {
  address: string;
  words: string;
  delay: number;
  tall: number;
}

/** A crop of the strip, the whole mark in it; the one before stays until its successor is there. */
export function Crop({ address, words, delay, tall }: Props) {
  const [shown, setShown] = useState<string | null>(null);
  useEffect(() => {
    let wish: { leave: () => void } | null = null;
    const later = setTimeout(() => {
      wish = loader.want(address, (blob) => blob && setShown(URL.createObjectURL(blob)));
    }, SETTLE + delay);
    return () => {
      clearTimeout(later);
      wish?.leave();
    };
  }, [address, delay]);
  useEffect(() => () => void (shown && URL.revokeObjectURL(shown)), [shown]);
  return shown ? (
    <img alt={words} src={shown} className="w-full bg-felt-0 object-contain" style={{ height: tall }} />
  ) : (
    <span className="w-full bg-felt-2" style={{ height: tall }} />
  );
}
