import { useEffect, useRef, useState } from "react";

/** Where pictures are fetched and kept. */
interface Pictures {
  want(address: string): Promise<ImageBitmap | null | undefined>;
  leave(address: string): void;
  get(address: string): ImageBitmap | undefined;
  problems: Map<string, string>;
}

export interface Picture {
  bitmap: ImageBitmap | null;
  problem: string | null;
  late: boolean;
}

/** The picture at an address; the one before it stays until the new one is there. */
export function usePicture(store: Pictures, address: string | null): Picture {
  const [shown, setShown] = useState<{ address: string; bitmap: ImageBitmap } | null>(null);
  const [problem, setProblem] = useState<string | null>(null);
  const wanted = useRef(address);
  wanted.current = address;
  useEffect(() => {
    setProblem(null);
    if (!address) return;
    void store.want(address).then((bitmap) => {
      if (wanted.current !== address) return;
      if (bitmap) setShown({ address, bitmap });
      else setProblem(store.problems.get(address) ?? "This picture could not be loaded.");
    });
    return () => store.leave(address);
  }, [store, address]);
  const now = address ? store.get(address) : undefined;
  return {
    bitmap: problem || !address ? null : (now ?? shown?.bitmap ?? null),
    problem,
    late: !!address && !now && !problem,
  };
}
