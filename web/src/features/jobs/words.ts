/** Bytes as people say them. */
export function bytes(count: number): string {
  if (count >= 1e9) return `${(count / 1e9).toFixed(1)} GB`;
  if (count >= 1e6) return `${(count / 1e6).toFixed(0)} MB`;
  return `${Math.max(1, Math.round(count / 1e3))} kB`;
}

export interface Rate {
  num: number;
  den: number;
}

/** 25, 23.976, 24000/1001: the exact rate that is meant (common practice: .976 and its like are NTSC rates). */
export function rateOf(text: string): Rate | null {
  const parts = text.trim().match(/^(\d+)\s*\/\s*(\d+)$/);
  if (parts) return valid(Number(parts[1]), Number(parts[2]));
  if (!/^\d+([.,]\d+)?$/.test(text.trim())) return null;
  const value = Number(text.trim().replace(",", "."));
  const whole = Math.round(value);
  if (Math.abs(value - whole) < 1e-3) return valid(whole, 1);
  if (Math.abs(value - (whole * 1000) / 1001) < 6e-3) return valid(whole * 1000, 1001);
  return valid(Math.round(value * 1000), 1000);
}

const valid = (num: number, den: number): Rate | null =>
  den > 0 && num / den >= 1 && num / den <= 240 ? { num, den } : null;

export const rateText = ({ num, den }: Rate): string => (den === 1 ? String(num) : `${num}/${den}`);

const seconds = (frames: number, rate: Rate): string => ((frames * rate.den) / rate.num).toFixed(2);

/** What a rate means for a sequence, and against the one that the files name. */
export function rateConsequence(frames: number, rate: Rate, found: Rate | null, movie: boolean): string {
  const plays = `${frames} frames at ${rateText(rate)} play ${seconds(frames, rate)} s.`;
  if (!found || found.num * rate.den === rate.num * found.den)
    return found ? plays : `${plays} The files name no rate.`;
  if (!movie) return `${plays} The files say ${rateText(found)}, which would be ${seconds(frames, found)} s.`;
  const conformed = Math.max(1, Math.round((frames * found.den * rate.num) / (found.num * rate.den)));
  const faster = found.num * rate.den > rate.num * found.den;
  return `The movie runs at ${rateText(found)}: conformed to ${rateText(rate)} it has ${conformed} frames of the same ${seconds(frames, found)} s; ${faster ? "some pictures are left out" : "some pictures are held"}.`;
}

/** Frame numbers as ranges: 3, 7 to 9. At most a few, then how many more. */
export function ranges(frames: number[], most = 4): string {
  const runs: [number, number][] = [];
  for (const frame of frames) {
    const run = runs[runs.length - 1];
    if (run && run[1] === frame - 1) run[1] = frame;
    else runs.push([frame, frame]);
  }
  const words = runs.slice(0, most).map(([a, b]) => (a === b ? String(a) : `${a} to ${b}`));
  return runs.length > most ? `${words.join(", ")} and ${runs.length - most} more` : words.join(", ");
}

export function depthWords(clip: { depth: string; bits: number }): string {
  if (clip.depth === "float16") return "half float";
  if (clip.depth === "float32") return "float";
  return `${clip.bits} bit`;
}
