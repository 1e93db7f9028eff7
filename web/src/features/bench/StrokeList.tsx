import { Eye, EyeOff, X } from "lucide-react";
import { client, type Fix } from "../../api/client";
import type { useChange } from "../../api/queries";

/** The plate's strokes, newest first; each can be switched or taken away. */
export function StrokeList({ fix, change }: { fix: Fix; change: ReturnType<typeof useChange> }) {
  const keep = (strokes: { id: number; on: boolean }[]) =>
    change.mutate(({ params, version }) =>
      client.PATCH("/api/fixes/{fix}/strokes", { params, body: { version, strokes } }),
    );
  const plain = fix.strokes.map(({ id, on }) => ({ id, on }));
  if (fix.strokes.length === 0) return <p className="text-faint">No strokes yet.</p>;
  return (
    <ol aria-label="Strokes" className="thin-scroll flex max-h-32 flex-col overflow-y-auto rounded-md bg-felt-0 p-1">
      {fix.strokes
        .map((stroke, index) => ({ stroke, index }))
        .reverse()
        .map(({ stroke, index }) => (
          <li key={stroke.id} className={`flex h-6 items-center gap-2 rounded px-1.5 ${stroke.on ? "" : "text-faint"}`}>
            <span className="figure w-5 text-right text-faint">{index + 1}</span>
            <span className="flex-1">
              {stroke.kind === "clone" ? "Clone" : "Restore"} {Math.round(stroke.radius * 2)} px
            </span>
            <button
              type="button"
              aria-label={`Switch stroke ${index + 1} ${stroke.on ? "off" : "on"}`}
              className="text-soft hover:text-ink"
              onClick={() => keep(plain.map((entry) => (entry.id === stroke.id ? { ...entry, on: !entry.on } : entry)))}
            >
              {stroke.on ? <Eye size={13} /> : <EyeOff size={13} />}
            </button>
            <button
              type="button"
              aria-label={`Take stroke ${index + 1} away`}
              className="text-soft hover:text-ink"
              onClick={() => keep(plain.filter((entry) => entry.id !== stroke.id))}
            >
              <X size={13} />
            </button>
          </li>
        ))}
    </ol>
  );
}
