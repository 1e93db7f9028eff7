/** Numbers that drop frame leaves out a minute, by the frames counted a second (SMPTE ST 12-1). */
const DROPPED: Record<number, number> = { 30: 2, 60: 4, 120: 8 };
const HOURS = 24;

/** Frames counted a second: 24 for 23.976. */
const baseOf = (rate: number) => Math.max(1, Math.round(rate));

/** Drop frame exists for the NTSC rates only. */
const dropOf = (rate: number) => (Math.abs(rate - baseOf(rate)) > 1e-6 ? DROPPED[baseOf(rate)] : undefined);

/** Frames since midnight as SMPTE ST 12-1 writes them; `;` before the frames for drop frame. */
export function timecode(frames: number, rate: number, drop = false): string {
  const base = baseOf(rate);
  const skip = drop ? dropOf(rate) : undefined;
  let count = frames;
  if (skip) {
    const ten = 600 * base - 9 * skip;
    const rest = count % ten;
    count = Math.floor(count / ten) * 600 * base + rest;
    if (rest >= 60 * base) count += skip * (1 + Math.floor((rest - 60 * base) / (60 * base - skip)));
  }
  const two = (n: number) => String(Math.floor(n)).padStart(2, "0");
  const wide = Math.max(2, String(base - 1).length);
  const seconds = Math.floor(count / base);
  const last = String(count % base).padStart(wide, "0");
  return `${two((seconds / 3600) % HOURS)}:${two((seconds / 60) % 60)}:${two(seconds % 60)}${skip ? ";" : ":"}${last}`;
}

/** Frames since midnight of a written timecode; null when there is no such one. */
export function framesOf(text: string, rate: number): number | null {
  const match = text.trim().match(/^(\d{1,2}):(\d\d):(\d\d)([:;.])(\d{2,3})$/);
  if (!match) return null;
  const [h, m, s, f] = [match[1], match[2], match[3], match[5]].map(Number) as [number, number, number, number];
  const base = baseOf(rate);
  if (h >= HOURS || m > 59 || s > 59 || f >= base) return null;
  const total = ((h * 60 + m) * 60 + s) * base + f;
  if (match[4] === ":") return total;
  const skip = dropOf(rate);
  if (!skip || (s === 0 && f < skip && m % 10)) return null;
  return total - skip * (h * 60 + m - Math.floor((h * 60 + m) / 10));
}
