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
  ) {}

  get length(): number {
    return this.end - this.first + 1;
  }

  start(frame: number, now: number) {
    this.started = now;
    this.from = frame - this.first;
    this.last = 0;
    this.shown = 0;
    this.dropped = 0;
  }

  /** The frame that is due, and how many frame times have passed since the start. */
  due(now: number): { frame: number; count: number } {
    const count = Math.max(0, Math.floor(((now - this.started) / 1000) * this.rate));
    return { frame: this.first + ((this.from + count) % this.length), count };
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

export function timecode(frame: number, rate: number): string {
  const whole = Math.round(rate);
  const two = (n: number) => String(Math.floor(n)).padStart(2, "0");
  const seconds = Math.floor(frame / whole);
  return `${two(seconds / 3600)}:${two((seconds / 60) % 60)}:${two(seconds % 60)}:${two(frame % whole)}`;
}
