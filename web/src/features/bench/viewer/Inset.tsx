import { Maximize2, Move } from "lucide-react";
import { type ReactNode, useEffect, useRef, useState } from "react";
import type { Box } from "../../../canvas/view";
import { useBench } from "../store";
import { asideFrom, cornerAt, cornerBy, insetBox, type Lie } from "./inset";

interface Props {
  /** The mark in the big picture, screen px; the inset steps aside from it. */
  mark: Box | null;
  children: ReactNode;
}

/** The other picture in a corner of the big one. */
export function Inset({ mark, children }: Props) {
  const main = useBench((state) => state.main);
  const size = useBench((state) => state.sizes[state.main]);
  const put = useBench((state) => state.inset);
  const playing = useBench((state) => state.playing);
  const set = useBench((state) => state.set);
  const aside = useRef<Lie>({ corner: "bottom-right", scale: 1 });
  const [drag, setDrag] = useState<{ x: number; y: number } | null>(null);
  const [, turn] = useState(0);
  const wanted = put ? aside.current : asideFrom(mark, aside.current, size);
  useEffect(() => {
    const { corner, scale } = aside.current;
    if (playing || (wanted.corner === corner && wanted.scale === scale)) return; // one that jumps while it plays is worse
    aside.current = wanted;
    turn((now) => now + 1);
  }, [playing, wanted]);
  const lie = put ? { corner: put, scale: 1 } : aside.current;
  const { corner } = lie;
  const box = insetBox(lie, size);
  const left = box.left + (drag?.x ?? 0);
  const top = box.top + (drag?.y ?? 0);
  const icon = "rounded bg-felt-0/80 p-1 text-soft hover:text-ink";
  return (
    <div
      data-testid="inset"
      data-corner={corner}
      className="absolute overflow-hidden rounded-lg border border-felt-0 bg-felt-0 shadow-2xl outline outline-line"
      style={{ left, top, width: box.width, height: box.height }}
    >
      {children}
      <div className="absolute top-1.5 right-1.5 flex gap-1">
        <button
          type="button"
          aria-label={`Move the inset, now ${corner.replace("-", " ")}`}
          title="Drag it to another corner, or use the arrow keys; double-click lets it step aside from the mark by itself"
          className={`${icon} cursor-move touch-none`}
          onPointerDown={(event) => {
            event.currentTarget.setPointerCapture(event.pointerId);
            setDrag({ x: 0, y: 0 });
          }}
          onPointerMove={(event) => drag && setDrag({ x: drag.x + event.movementX, y: drag.y + event.movementY })}
          onPointerUp={() => {
            if (drag && Math.hypot(drag.x, drag.y) > 20)
              set({ inset: cornerAt(left + box.width / 2, top + box.height / 2, size) });
            setDrag(null);
          }}
          onDoubleClick={() => set({ inset: null })}
          onKeyDown={(event) => {
            const next = cornerBy(event.key, corner);
            if (!next) return;
            event.stopPropagation();
            event.preventDefault();
            set({ inset: next });
          }}
        >
          <Move size={13} />
        </button>
        <button
          type="button"
          aria-label="Swap Shot and Still"
          title="Swap Shot and Still (V)"
          onClick={() => set({ main: main === "shot" ? "still" : "shot" })}
          className={icon}
        >
          <Maximize2 size={13} />
        </button>
      </div>
    </div>
  );
}
