/** Decoded pictures by address: the last ones seen, and those that are coming next. */
export class FrameStore {
  private kept = new Map<string, ImageBitmap>();
  private coming = new Map<string, Promise<ImageBitmap | null>>();
  readonly problems = new Map<string, string>();

  constructor(
    private readonly most: number,
    private readonly load: (address: string) => Promise<ImageBitmap> = fetched,
  ) {}

  get(address: string): ImageBitmap | undefined {
    const found = this.kept.get(address);
    if (found) {
      this.kept.delete(address);
      this.kept.set(address, found);
    }
    return found;
  }

  get busy(): number {
    return this.coming.size;
  }

  /** The picture, or null when it cannot be had (`problems` says why). */
  want(address: string): Promise<ImageBitmap | null> {
    const found = this.get(address);
    if (found) return Promise.resolve(found);
    const under = this.coming.get(address);
    if (under) return under;
    const way = this.load(address)
      .then((bitmap) => {
        this.problems.delete(address);
        this.keep(address, bitmap);
        return bitmap;
      })
      .catch((error: Error) => {
        this.problems.set(address, error.message);
        return null;
      })
      .finally(() => this.coming.delete(address));
    this.coming.set(address, way);
    return way;
  }

  private keep(address: string, bitmap: ImageBitmap) {
    this.kept.set(address, bitmap);
    while (this.kept.size > this.most) {
      const oldest = this.kept.keys().next().value as string;
      this.kept.get(oldest)?.close();
      this.kept.delete(oldest);
    }
  }
}

async function fetched(address: string): Promise<ImageBitmap> {
  const answer = await fetch(address, { credentials: "same-origin" });
  if (!answer.ok) {
    const body = await answer.json().catch(() => null);
    throw new Error(body?.title ?? `This picture could not be loaded (${answer.status}).`);
  }
  return createImageBitmap(await answer.blob());
}
