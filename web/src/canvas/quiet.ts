/** A picture that is wanted until `leave` is called. */
export interface Wish {
  leave: () => void;
}

interface Waiting {
  address: string;
  done: (blob: Blob | null) => void;
  stop: AbortController;
}

/**
 * Loads what may wait (the strip's crops) a few at a time, so that a browser's six connections are never all taken when
 * the artist's own change has to go out. What is no longer wanted is dropped, also when it is already under way.
 */
export class QuietLoader {
  private line: Waiting[] = [];
  private under = new Set<Waiting>();

  constructor(
    private readonly atOnce: number,
    private readonly load: (address: string, stop: AbortSignal) => Promise<Blob> = fetched,
  ) {}

  want(address: string, done: (blob: Blob | null) => void): Wish {
    const entry = { address, done, stop: new AbortController() };
    this.line.push(entry);
    this.next();
    return {
      leave: () => {
        this.line = this.line.filter((other) => other !== entry);
        entry.stop.abort();
      },
    };
  }

  private next() {
    while (this.under.size < this.atOnce) {
      const entry = this.line.shift();
      if (!entry) return;
      this.under.add(entry);
      this.load(entry.address, entry.stop.signal)
        .then(
          (blob) => !entry.stop.signal.aborted && entry.done(blob),
          () => !entry.stop.signal.aborted && entry.done(null),
        )
        .finally(() => {
          this.under.delete(entry);
          this.next();
        });
    }
  }
}

async function fetched(address: string, stop: AbortSignal): Promise<Blob> {
  const answer = await fetch(address, { credentials: "same-origin", signal: stop });
  if (!answer.ok) throw new Error(String(answer.status));
  return answer.blob();
}
