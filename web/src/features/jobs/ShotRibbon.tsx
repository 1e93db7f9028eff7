import { type Card, levelOf, loudestOf } from "./cards";

const COLOURS = { quiet: "#3c4f49", noticeable: "#e0a13c", loud: "#e2603d", none: "#2b2b2b" };

/** The loudest tell along the whole shot: where it needs work, at a glance. */
export function ShotRibbon({ card }: { card: Card | undefined }) {
  const ribbon = card?.ribbon ?? [];
  const loud = loudestOf(card);
  const words = loud
    ? `loudest tell ${loud.value.toFixed(1)} at ${loud.frame}`
    : ribbon.some((value) => value !== null)
      ? "measured"
      : "tells are not measured yet";
  return (
    <span className="flex items-center gap-3">
      <svg
        role="img"
        aria-label={words}
        viewBox={`0 0 ${Math.max(1, ribbon.length)} 1`}
        preserveAspectRatio="none"
        className="h-2 flex-1 rounded-sm bg-[#2b2b2b]"
      >
        {ribbon.map((value, k) => (
          // biome-ignore lint/suspicious/noArrayIndexKey: a column is its place
          <rect key={k} x={k} width={1.02} height={1} fill={COLOURS[levelOf(value)]} />
        ))}
      </svg>
      <span className="figure w-28 text-right text-soft">
        {loud ? (loud.value < 1 ? `${loud.value.toFixed(1)} quiet` : `${loud.value.toFixed(1)} at ${loud.frame}`) : ""}
      </span>
    </span>
  );
}
