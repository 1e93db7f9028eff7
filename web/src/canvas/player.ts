/** What happens at the end of the range. */
export type Round = "loop" | "bounce" | "once";

/** Plays at the clip's rate and counts honestly: a frame that was due and not shown is dropped. */
export class Player {
  private started = 0;
  private from = 0;
  private shown = 0;
  private last = 0;
  dropped = 0;

  constructor(
    readonly first: number,
    readonly end: number,
    readonly rate: number,
    readonly round: Round = "loop",
  ) {}

  get length(): number {
    return this.end - this.first + 1;
  }

  start(frame: number, now: number) {
    this.started = now;
    this.from = Math.min(this.length - 1, Math.max(0, frame - this.first));
    if (this.round === "once" && this.from === this.length - 1) this.from = 0;
    this.last = 0;
    this.shown = 0;
    this.dropped = 0;
  }

  /** The frame that is due, and how many frame times have passed since the start. */
  due(now: number): { frame: number; count: number; over: boolean } {
    const count = Math.max(0, Math.floor(((now - this.started) / 1000) * this.rate));
    return { frame: this.ahead(count), count, over: this.round === "once" && this.from + count >= this.length };
  }

  /** The frame that is due `count` frame times after the start. */
  ahead(count: number): number {
    const step = this.from + count;
    if (this.round === "once") return this.first + Math.min(step, this.length - 1);
    if (this.round === "loop" || this.length === 1) return this.first + (step % this.length);
    const there = step % (2 * this.length - 2);
    return this.first + (there < this.length ? there : 2 * this.length - 2 - there);
  }

  /** Says that the frame due at `count` is on the screen. */
  show(count: number) {
    if (count <= this.last) return;
    this.dropped += count - this.last - 1;
    this.shown += 1;
    this.last = count;
  }

  /** Frames a second that were really shown. */
  measured(now: number): number {
    const seconds = (now - this.started) / 1000;
    return seconds > 0 ? this.shown / seconds : 0;
  }
}

const DROPPED: Record<number, number> = { 30: 2, 60: 4, 120: 8 };

/** Frames since midnight as SMPTE ST 12-1 writes them; `;` before the frames for drop frame. */
export function timecode(frames: number, rate: number, drop = false): string {
  const base = Math.round(rate);
  let count = frames;
  const skip = DROPPED[base];
  if (drop && skip) {
    const ten = 600 * base - 9 * skip;
    const rest = count % ten;
    count = Math.floor(count / ten) * 600 * base + rest;
    if (rest >= 60 * base) count += skip * (1 + Math.floor((rest - 60 * base) / (60 * base - skip)));
  }
  const two = (n: number) => String(Math.floor(n)).padStart(2, "0");
  const seconds = Math.floor(count / base);
  return `${two((seconds / 3600) % 24)}:${two((seconds / 60) % 60)}:${two(seconds % 60)}${drop && skip ? ";" : ":"}${two(count % base)}`;
}

/** Frames since midnight of a written timecode; null when it is none. */
export function framesOf(text: string, rate: number): number | null {
  const match = text.match(/^(\d{1,2}):(\d\d):(\d\d)([:;.])(\d{2,3})$/);
  if (!match) return null;
  const [h, m, s, f] = [match[1], match[2], match[3], match[5]].map(Number) as [number, number, number, number];
  const base = Math.round(rate);
  const total = ((h * 60 + m) * 60 + s) * base + f;
  const skip = DROPPED[base];
  return match[4] === ":" || !skip ? total : total - skip * (h * 60 + m - Math.floor((h * 60 + m) / 10));
}
