import type { ReactNode } from "react";
import { EncodingField } from "./EncodingField";
import { CutField, type Given, TextField } from "./fields";
import { rateConsequence, rateOf } from "./words";

const NO_RATE = "Write the rate like 25, 23.976 or 24000/1001.";
const whole = (text: string) => (text.trim() === "" ? null : Number(text));

/** What was typed as the server wants it, or what is wrong with it. */
export function asked(given: Given) {
  const rate = rateOf(given.rate);
  if (!rate) return NO_RATE;
  return {
    name: given.name,
    rate_num: rate.num,
    rate_den: rate.den,
    space: given.space,
    cut_in: whole(given.cut_in),
    cut_out: whole(given.cut_out),
    handles: whole(given.handles) ?? 0,
    timecode: given.timecode,
    pixel_aspect: Number(given.pixel_aspect) || 1,
  };
}

interface ShotProps {
  given: Given;
  onChange: (part: Partial<Given>) => void;
  /** What the files say, that a rate and an encoding are held against. */
  found: { space: string; frames: number; rate: string; movie: boolean };
  notes: { space: string; timecode: string };
  /** Fields of one form alone, between the rate and the cut. */
  children?: ReactNode;
}

/** What can be corrected of a shot, when it comes in and later. */
export function ShotFields({ given, onChange, found, notes, children }: ShotProps) {
  const rate = rateOf(given.rate);
  const named = found.rate ? rateOf(found.rate) : null;
  return (
    <>
      <EncodingField value={given.space} onChange={(space) => onChange({ space })} note={notes.space} />
      <TextField
        label="Rate"
        value={given.rate}
        onChange={(text) => onChange({ rate: text })}
        note={
          rate ? rateConsequence(found.frames, rate, named, found.movie) : "Write it like 25, 23.976 or 24000/1001."
        }
      />
      {children}
      <CutField given={given} onChange={onChange} />
      <TextField
        label="Timecode"
        value={given.timecode}
        onChange={(timecode) => onChange({ timecode })}
        note={notes.timecode}
      />
      <TextField
        label="Pixel aspect"
        value={given.pixel_aspect}
        onChange={(pixel_aspect) => onChange({ pixel_aspect })}
      />
    </>
  );
}
