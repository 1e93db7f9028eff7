import { useState } from "react";
import { client, type Delivery } from "../../api/client";
import { keys, queries, useDeliveries } from "../../api/queries";
import { Button } from "../../ui/controls";
import { DeliveryCard } from "../../ui/DeliveryCard";
import { Confirm } from "../../ui/menu";
import { MessageLine, say } from "../../ui/messages";
import { QueuePart } from "./QueuePart";
import { StoragePart } from "./StoragePart";

export type Part = "" | "queue" | "storage";
const PARTS: { id: Part; words: string }[] = [
  { id: "", words: "Deliveries" },
  { id: "queue", words: "Queue" },
  { id: "storage", words: "Storage" },
];

/** What was delivered, what is being worked on, and what it all takes. */
export function DeliveriesPage({ part, go }: { part: Part; go: (to: string) => void }) {
  return (
    <div className="flex flex-col gap-5">
      <nav aria-label="Deliveries, queue and storage" className="flex gap-1">
        {PARTS.map(({ id, words }) => (
          <button
            key={id}
            type="button"
            aria-current={part === id ? "page" : undefined}
            onClick={() => go(`/deliveries${id ? `/${id}` : ""}`)}
            className={`h-7 rounded-md px-2.5 ${part === id ? "bg-felt-3 text-ink" : "text-soft hover:text-ink"}`}
          >
            {words}
          </button>
        ))}
      </nav>
      {part === "queue" ? <QueuePart /> : part === "storage" ? <StoragePart /> : <Delivered />}
      <MessageLine />
    </div>
  );
}

function Delivered() {
  const deliveries = useDeliveries();
  const [clearing, setClearing] = useState<Delivery | null>(null);
  if (deliveries.error) return <p role="alert">{deliveries.error.message}</p>;
  if (!deliveries.data) return <p className="text-soft">Looking for deliveries</p>;
  const found = deliveries.data;
  if (found.length === 0)
    return <p className="text-soft">Nothing delivered yet. Open a shot and press Deliver when its fixes are quiet.</p>;
  const clear = async (delivery: Delivery) => {
    await client
      .DELETE("/api/deliveries/{delivery}", { params: { path: { delivery: delivery.id } } })
      .catch((problem: Error) => say(problem.message));
    void queries.invalidateQueries({ queryKey: keys.deliveries });
  };
  const sooner = (delivery: Delivery, by: number) =>
    client
      .PATCH("/api/deliveries/{delivery}/priority", {
        params: { path: { delivery: delivery.id } },
        body: { priority: Math.max(-100, Math.min(100, delivery.priority + by)) },
      })
      .catch((problem: Error) => say(problem.message))
      .finally(() => queries.invalidateQueries({ queryKey: keys.deliveries }));
  const total = found.reduce((sum, entry) => sum + entry.bytes, 0);
  return (
    <div className="flex flex-col gap-3">
      <p className="text-soft">
        {found.length === 1 ? "1 delivery takes" : `${found.length} deliveries take`}{" "}
        <span className="figure">{(total / 1e6).toFixed(0)} MB</span>.
      </p>
      {found.map((delivery) => (
        <section
          key={delivery.id}
          aria-label={`${delivery.shot_name}, ${delivery.folder}`}
          className="flex flex-col gap-1"
        >
          <div className="flex items-center gap-3">
            <b className="font-medium">{delivery.shot_name}</b>
            <span className="truncate text-soft">{delivery.job_name}</span>
            <span className="figure text-soft">
              {delivery.first} to {delivery.last} · {delivery.made.slice(0, 16).replace("T", " ")} UTC
            </span>
            <span className="ml-auto" />
            {(delivery.state === "waiting" || delivery.state === "rendering") && (
              <>
                {delivery.workers.length > 0 && (
                  <span className="figure text-faint" title={delivery.workers.join(", ")}>
                    {delivery.workers.length === 1 ? "1 worker" : `${delivery.workers.length} workers`}
                  </span>
                )}
                <Button onClick={() => sooner(delivery, 10)}>Sooner</Button>
                <Button onClick={() => sooner(delivery, -10)}>Later</Button>
              </>
            )}
            <Button onClick={() => setClearing(delivery)}>Clear files</Button>
          </div>
          <DeliveryCard delivery={delivery} />
        </section>
      ))}
      {clearing && (
        <Confirm
          title={`Take ${clearing.folder} off the disk?`}
          words="Its files and its proof go. Fixes stay as they are, and it can be delivered again."
          act="Clear its files"
          onAct={() => void clear(clearing)}
          onClose={() => setClearing(null)}
        />
      )}
    </div>
  );
}
