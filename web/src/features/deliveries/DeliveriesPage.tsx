import { client } from "../../api/client";
import { keys, queries, useDeliveries } from "../../api/queries";
import { Button } from "../../ui/controls";
import { DeliveryCard } from "../../ui/DeliveryCard";
import { say } from "../../ui/messages";

/** Everything delivered: where, how much, and the proof. */
export function DeliveriesPage() {
  const deliveries = useDeliveries();
  if (deliveries.error) return <p role="alert">{deliveries.error.message}</p>;
  const found = deliveries.data ?? [];
  if (deliveries.data && found.length === 0)
    return <p className="text-soft">Nothing delivered yet. Open a shot and press Deliver when its fixes are quiet.</p>;
  const clear = async (id: number) => {
    if (!window.confirm("Take this delivery's files off the disk?")) return;
    try {
      await client.DELETE("/api/deliveries/{delivery}", { params: { path: { delivery: id } } });
    } catch (error) {
      say((error as Error).message);
    }
    void queries.invalidateQueries({ queryKey: keys.deliveries });
  };
  const total = found.reduce((sum, entry) => sum + entry.bytes, 0);
  return (
    <div className="flex flex-col gap-3">
      <p className="text-soft">
        {found.length} deliveries take <span className="figure">{(total / 1e6).toFixed(0)} MB</span>.
      </p>
      {found.map((delivery) => (
        <div key={delivery.id} className="flex flex-col gap-1">
          <div className="flex items-center gap-3">
            <b className="font-medium">{delivery.shot_name}</b>
            <span className="figure text-soft">
              {delivery.first} to {delivery.last} · {delivery.made.slice(0, 16).replace("T", " ")} UTC
            </span>
            <Button className="ml-auto" onClick={() => void clear(delivery.id)}>
              Clear files
            </Button>
          </div>
          <DeliveryCard delivery={delivery} />
        </div>
      ))}
    </div>
  );
}
