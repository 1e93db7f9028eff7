import type { Shot } from "../../api/client";
import type { Card } from "./cards";

/** A frame of the shot with its marks outlined. */
export function Poster({ shot, card }: { shot: Shot; card: Card | undefined }) {
  const { clip } = shot;
  const frame = card?.poster ?? Math.floor((clip.first + clip.last) / 2);
  const line = clip.width / 110;
  return (
    <span className="relative block h-[90px] w-40 shrink-0 overflow-hidden rounded-md bg-felt-0">
      <img
        alt={`Frame ${frame} of ${shot.name}`}
        src={`/pictures/shots/${shot.id}/frames/${frame}.jpg?l=${shot.look_name}&wide=1280`}
        className="size-full object-contain"
      />
      <svg viewBox={`-0.5 -0.5 ${clip.width} ${clip.height}`} className="absolute inset-0 size-full" aria-hidden="true">
        {(card?.marks ?? []).map((mark) => {
          const points = mark.map(([x, y]) => `${x},${y}`).join(" ");
          return (
            <g key={points} fill="none" strokeWidth={line}>
              <polygon points={points} stroke="#1e1e1e" strokeWidth={line * 2} />
              <polygon points={points} stroke="#fff" strokeDasharray={`${line * 3} ${line * 2}`} />
            </g>
          );
        })}
      </svg>
    </span>
  );
}
