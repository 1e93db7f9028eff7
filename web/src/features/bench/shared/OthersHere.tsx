import { useOthersHere } from "../../../api/here";

const initials = (who: string) =>
  who
    .split(" ")
    .map((part) => part[0])
    .join("")
    .slice(0, 2)
    .toUpperCase();

/** Who else has the shot open. */
export function OthersHere({ shot }: { shot: number }) {
  const others = useOthersHere(shot);
  const names = [...new Set(others.map((one) => one.who))];
  return (
    <>
      {names.map((who) => (
        <span
          key={who}
          role="img"
          title={`${who} has this shot open`}
          aria-label={`${who} has this shot open`}
          className="grid size-6 shrink-0 place-items-center rounded-full border border-line bg-felt-3 text-[10px]"
        >
          {initials(who)}
        </span>
      ))}
    </>
  );
}

/** Who else is working on a fix just now. */
export function OnThisFix({ shot, fix }: { shot: number; fix: number }) {
  const names = [
    ...new Set(
      useOthersHere(shot)
        .filter((one) => one.fix === fix)
        .map((one) => one.who),
    ),
  ];
  if (names.length === 0) return null;
  return <span className="truncate text-[11.5px] text-noticeable">{names.join(", ")} is on this fix</span>;
}
