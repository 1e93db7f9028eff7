import type { Schemas } from "../../api/client";
import { useReviews } from "../../api/reviews";

type Row = Schemas["WaitingOut"];

/** What one may look at; what waits for review comes first. */
export function ReviewsPage({ onOpen }: { onOpen: (shot: number) => void }) {
  const reviews = useReviews();
  if (reviews.error) return <p role="alert">{reviews.error.message}</p>;
  if (!reviews.data) return <p className="text-soft">Looking for shots</p>;
  const waiting = reviews.data.filter((row) => row.status === "to-review");
  const others = reviews.data.filter((row) => row.status !== "to-review");
  return (
    <div className="flex flex-col gap-6">
      <Shots title="Waiting for review" rows={waiting} empty="Nothing waits for review." onOpen={onOpen} />
      <Shots title="All other shots" rows={others} empty="No other shots." onOpen={onOpen} />
    </div>
  );
}

function Shots({
  title,
  rows,
  empty,
  onOpen,
}: {
  title: string;
  rows: Row[];
  empty: string;
  onOpen: (shot: number) => void;
}) {
  return (
    <section aria-label={title} className="flex flex-col gap-2">
      <h2 className="stitch-b pb-1.5 text-[15px] font-semibold">{title}</h2>
      {rows.length === 0 && <p className="text-soft">{empty}</p>}
      <ul className="grid grid-cols-[repeat(auto-fill,minmax(240px,1fr))] gap-3">
        {rows.map((row) => (
          <li key={row.shot}>
            <button
              type="button"
              aria-label={`Review ${row.shot_name}`}
              onClick={() => onOpen(row.shot)}
              className="flex w-full flex-col gap-1.5 rounded-lg bg-felt-2 p-2 text-left hover:bg-felt-3/60"
            >
              <img
                alt=""
                src={`/pictures/shots/${row.shot}/frames/${row.poster}.jpg?l=${row.look}&wide=480`}
                className="aspect-video w-full rounded-md bg-felt-0 object-cover"
              />
              <span className="flex items-baseline gap-2">
                <b className="truncate font-medium">{row.shot_name}</b>
                <span className="ml-auto whitespace-nowrap text-soft">{row.status_words}</span>
              </span>
              <span className="flex gap-2 text-soft">
                <span className="truncate">{row.sent || row.job_name}</span>
                {row.open_notes > 0 && (
                  <span className="figure ml-auto whitespace-nowrap text-thread">
                    {row.open_notes === 1 ? "1 open note" : `${row.open_notes} open notes`}
                  </span>
                )}
              </span>
            </button>
          </li>
        ))}
      </ul>
    </section>
  );
}
