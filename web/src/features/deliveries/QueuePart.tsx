import { client, type Schemas } from "../../api/client";
import { keys, queries, useDeliveries } from "../../api/queries";
import { useQueue } from "../../api/studio";
import { Button } from "../../ui/controls";
import { timeWords } from "../../ui/DeliveryCard";
import { say } from "../../ui/messages";

type Row = Schemas["QueueRowOut"];

/** What is worked on, for which shot, how fast, and what waits. */
export function QueuePart() {
  const queue = useQueue();
  const deliveries = useDeliveries().data ?? [];
  if (queue.error) return <p role="alert">{queue.error.message}</p>;
  if (!queue.data) return <p className="text-soft">Looking at the queue</p>;
  const { workers, rows } = queue.data;
  const stop = (row: Row) => {
    const sent = row.delivery
      ? client.POST("/api/deliveries/{delivery}/stop", { params: { path: { delivery: row.delivery } } })
      : client.POST("/api/holds/{hold}/stop", { params: { path: { hold: row.hold! } } });
    void sent
      .catch((problem: Error) => say(problem.message))
      .finally(() => queries.invalidateQueries({ queryKey: keys.queue }));
  };
  return (
    <div className="flex flex-col gap-3">
      <p className={workers ? "text-soft" : "text-loud"} role={workers ? undefined : "alert"}>
        {workers === 0
          ? "No worker is running: nothing is tracked, measured or delivered until one is started."
          : workers === 1
            ? "1 worker serves the queue."
            : `${workers} workers serve the queue.`}
      </p>
      {rows.length === 0 ? (
        <p className="text-soft">Nothing waits and nothing is being done.</p>
      ) : (
        <table className="w-full border-separate border-spacing-y-1" aria-label="Queue">
          <thead>
            <tr className="text-left text-soft">
              <th className="font-normal">Work</th>
              <th className="font-normal">For</th>
              <th className="font-normal">Now</th>
              <th className="font-normal">Waiting</th>
              <th className="font-normal">Priority</th>
              <th />
            </tr>
          </thead>
          <tbody>
            {rows.map((row) => {
              const delivery = deliveries.find((one) => one.id === row.delivery);
              return (
                <tr
                  key={`${row.task} ${row.delivery} ${row.hold} ${row.name}`}
                  className="[&>td]:bg-felt-2 [&>td]:py-1.5"
                >
                  <td className="rounded-l-md pl-3 font-medium">{row.words}</td>
                  <td className="max-w-72 truncate text-soft">{row.name || "the house"}</td>
                  <td className="figure text-soft">{row.running ? nowWords(row, delivery) : "–"}</td>
                  <td className="figure text-soft">{row.waiting || "–"}</td>
                  <td className="figure text-soft">{row.priority}</td>
                  <td className="rounded-r-md pr-2 text-right">
                    {((row.delivery && row.task === "deliver") || row.hold) && (
                      <Button onClick={() => stop(row)}>Stop</Button>
                    )}
                  </td>
                </tr>
              );
            })}
          </tbody>
        </table>
      )}
    </div>
  );
}

function nowWords(row: Row, delivery: { speed: number; left: number | null; workers: string[] } | undefined): string {
  const on = `on ${row.running === 1 ? "1 worker" : `${row.running} workers`}`;
  if (delivery && delivery.speed > 0)
    return `${on}, ${delivery.speed.toFixed(1)} frames a second${delivery.left ? `, ${timeWords(delivery.left)} to go` : ""}`;
  return `${on}, for ${timeWords(row.since)}`;
}
