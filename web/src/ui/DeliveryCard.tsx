import { Progress } from "radix-ui";
import { client, type Delivery } from "../api/client";
import { Button } from "./controls";
import { say } from "./messages";

const WORDS: Record<string, string> = {
  waiting: "Waiting for a worker",
  rendering: "Writing",
  stopped: "Stopped; what is written is whole and stays",
  failed: "Stopped by a problem",
  done: "Delivered",
};

const count = (value: number) => value.toLocaleString("en-GB");

/** A delivery: how far it is, where it is, and its proof. */
export function DeliveryCard({ delivery }: { delivery: Delivery }) {
  const busy = delivery.state === "waiting" || delivery.state === "rendering";
  const part = (100 * delivery.written) / Math.max(1, delivery.total);
  const ask = (what: "stop" | "go-on") =>
    client
      .POST(what === "stop" ? "/api/deliveries/{delivery}/stop" : "/api/deliveries/{delivery}/go-on", {
        params: { path: { delivery: delivery.id } },
      })
      .catch((problem: Error) => say(problem.message));
  return (
    <article aria-label={`Delivery ${delivery.folder}`} className="flex flex-col gap-2 rounded-lg bg-felt-0 p-3">
      <div className="flex items-center gap-3">
        <strong className="font-medium">{WORDS[delivery.state] ?? delivery.state}</strong>
        <span className="figure ml-auto text-soft">
          {delivery.written} of {delivery.total} frames
        </span>
        {busy && <Button onClick={() => ask("stop")}>Stop</Button>}
        {(delivery.state === "stopped" || delivery.state === "failed") && (
          <Button onClick={() => ask("go-on")}>Write the rest</Button>
        )}
      </div>
      <Progress.Root value={part} className="h-1 overflow-hidden rounded bg-felt-3" aria-label="Frames written">
        <Progress.Indicator className="h-full bg-thread" style={{ width: `${part}%` }} />
      </Progress.Root>
      {delivery.problem && <p role="alert">{delivery.problem}</p>}
      {delivery.written > 0 && (
        <p>
          <span className={delivery.changed_outside === 0 ? "text-quiet" : "text-loud"}>
            {count(delivery.changed_outside)} values changed outside the mattes
          </span>
          <span className="text-soft">
            , of {count(delivery.values)} read back; {count(delivery.changed_inside)} changed inside.
          </span>
        </p>
      )}
      <p title={delivery.place} className="figure break-all text-[11px] text-faint select-text">
        deliveries/{delivery.folder} · {(delivery.bytes / 1e6).toFixed(0)} MB
        {delivery.seconds ? ` · ${delivery.seconds.toFixed(0)} s` : ""}
      </p>
    </article>
  );
}
