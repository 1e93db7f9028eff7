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
