import { useBench } from "../store";
import type { Space } from "./slice";

/** What a picture shows, and how closely; a click fits it to the window. */
export function Badge({ words, space }: { words: string; space: Space }) {
  const view = useBench((state) => state.views[space]);
  const set = useBench((state) => state.view);
  return (
    <div className="absolute top-2 left-2 flex items-center gap-2">
      <span className="pointer-events-none rounded bg-felt-0/85 px-2 py-0.5">{words}</span>
      {view && (
        <button
          type="button"
          onClick={() => set(space, null)}
          title="Fit the picture to the window (F)"
          className="figure rounded bg-felt-0/85 px-1.5 py-0.5 text-soft hover:text-ink"
        >
          {Math.round(view.scale * 100)} %
        </button>
      )}
    </div>
  );
}
