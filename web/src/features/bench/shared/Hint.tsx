import { X } from "lucide-react";
import { useEffect } from "react";
import { doneOnce, useSession } from "../../../api/queries";

interface Props {
  /** What it is about; remembered for the person once it has been done. */
  what: string;
  words: string;
  /** Whether it has been done now. */
  done: boolean;
}

/** What to do first, until it has been done once; it never comes back then. */
export function Hint({ what, words, done }: Props) {
  const known = useSession().data?.done;
  const over = !known || known.includes(what);
  useEffect(() => {
    if (done && !over) void doneOnce(what);
  }, [done, over, what]);
  if (over || done) return null;
  return (
    <p
      className="flex items-start gap-2 rounded-md border border-line border-dashed px-2 py-1.5 text-soft"
      data-hint={what}
    >
      <span className="flex-1">{words}</span>
      <button
        type="button"
        aria-label="I know this"
        title="I know this; do not show it again"
        className="mt-0.5 text-faint hover:text-ink"
        onClick={() => void doneOnce(what)}
      >
        <X size={12} />
      </button>
    </p>
  );
}
