/** Decoded pictures by address: the last ones seen, and those that are coming next. */
export class FrameStore {
  private kept = new Map<string, ImageBitmap>();
  private coming = new Map<string, { way: Promise<ImageBitmap | null>; stop: AbortController; wanted: number }>();
  readonly problems = new Map<string, string>();

  constructor(
    /** Bytes of decoded pictures that are kept. */
    private readonly most: number,
    private readonly load: (address: string, stop: AbortSignal) => Promise<ImageBitmap> = fetched,
  ) {}

  get(address: string): ImageBitmap | undefined {
    const found = this.kept.get(address);
    if (found) {
      this.kept.delete(address);
      this.kept.set(address, found);
    }
    return found;
  }

  /** Counts up whenever a picture comes or goes. */
  turn = 0;
  private held = 0;

  has(address: string): boolean {
    return this.kept.has(address) || this.coming.has(address);
  }

  holds(address: string): boolean {
    return this.kept.has(address);
  }

  get busy(): number {
    return this.coming.size;
  }

  /** The picture, or null when it cannot be had (`problems` says why). */
  want(address: string): Promise<ImageBitmap | null> {
    const found = this.get(address);
    if (found) return Promise.resolve(found);
    const under = this.coming.get(address);
    if (under) {
      under.wanted += 1;
      return under.way;
    }
    const stop = new AbortController();
    const way = this.load(address, stop.signal)
      .then((bitmap) => {
        this.problems.delete(address);
        this.keep(address, bitmap);
        return bitmap;
      })
      .catch((error: Error) => {
        if (!stop.signal.aborted) this.problems.set(address, error.message);
        return null;
      })
      .finally(() => this.coming.get(address)?.stop === stop && this.coming.delete(address));
    this.coming.set(address, { way, stop, wanted: 1 });
    return way;
  }

  /** Takes a `want` back; the last one to leave frees the connection. */
  leave(address: string) {
    const under = this.coming.get(address);
    if (!under) return;
    under.wanted -= 1;
    if (under.wanted > 0) return;
    this.coming.delete(address);
    under.stop.abort();
  }

  private keep(address: string, bitmap: ImageBitmap) {
    this.kept.set(address, bitmap);
    this.held += bytes(bitmap);
    this.turn += 1;
    while (this.held > this.most && this.kept.size > 1) {
      const [oldest, gone] = this.kept.entries().next().value as [string, ImageBitmap];
      this.held -= bytes(gone);
      gone.close();
      this.kept.delete(oldest);
    }
  }
}

const bytes = (bitmap: ImageBitmap) => bitmap.width * bitmap.height * 4;

async function fetched(address: string, stop: AbortSignal): Promise<ImageBitmap> {
  const answer = await fetch(address, { credentials: "same-origin", signal: stop });
  if (!answer.ok) {
    const body = await answer.json().catch(() => null);
    throw new Error(body?.title ?? `This picture could not be loaded (${answer.status}).`);
  }
  return createImageBitmap(await answer.blob());
}
