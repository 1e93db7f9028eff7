import { client } from "../../api/client";
import { keys, queries, useDeliveries, useStorage } from "../../api/queries";
import { Button } from "../../ui/controls";
import { DeliveryCard } from "../../ui/DeliveryCard";
import { say } from "../../ui/messages";

/** Everything delivered: where, how much, and the proof. */
export function DeliveriesPage() {
  const deliveries = useDeliveries();
  if (deliveries.error) return <p role="alert">{deliveries.error.message}</p>;
  const found = deliveries.data ?? [];
  if (deliveries.data && found.length === 0)
    return (
      <div className="flex flex-col gap-6">
        <p className="text-soft">Nothing delivered yet. Open a shot and press Deliver when its fixes are quiet.</p>
        <ProxyUse />
      </div>
    );
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
      <ProxyUse />
    </div>
  );
}

/** What the pictures for the screen take; they can always go. */
function ProxyUse() {
  const { data } = useStorage();
  if (!data || data.length === 0) return null;
  const clear = async (shot: number) => {
    await client.DELETE("/api/shots/{shot}/proxies", { params: { path: { shot } } });
    void queries.invalidateQueries({ queryKey: keys.storage });
  };
  return (
    <section aria-label="Proxies" className="stitch-t mt-4 flex flex-col gap-1.5 pt-4">
      <p className="text-soft">
        Proxies, pictures for the screen only, take{" "}
        <span className="figure">{(data.reduce((sum, row) => sum + row.bytes, 0) / 1e6).toFixed(0)} MB</span>. Cleared
        ones come back when they are looked at.
      </p>
      {data.map((row) => (
        <div key={row.shot} className="flex items-center gap-3">
          <span>{row.shot_name}</span>
          <span className="figure text-faint">
            {row.files} files, {(row.bytes / 1e6).toFixed(0)} MB
          </span>
          <Button className="ml-auto" onClick={() => void clear(row.shot)}>
            Clear proxies
          </Button>
        </div>
      ))}
    </section>
  );
}
