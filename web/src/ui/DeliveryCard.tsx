import { Progress } from "radix-ui";
import { client, type Delivery } from "../api/client";
import { keys, queries } from "../api/queries";
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
type What = "stop" | "go-on" | "again" | "check";

/** Asks something of a delivery; what is wrong is said. */
export const askDelivery = (delivery: Delivery, what: What) =>
  client
    .POST(`/api/deliveries/{delivery}/${what}` as "/api/deliveries/{delivery}/stop", {
      params: { path: { delivery: delivery.id } },
    })
    .catch((problem: Error) => say(problem.message))
    .finally(() => queries.invalidateQueries({ queryKey: keys.deliveries }));

export function timeWords(seconds: number): string {
  if (seconds < 90) return `${Math.max(1, Math.round(seconds))} s`;
  return seconds < 5400 ? `${Math.round(seconds / 60)} min` : `${(seconds / 3600).toFixed(1)} h`;
}

/** A delivery: how far it is, where it is, and its proof. */
export function DeliveryCard({ delivery }: { delivery: Delivery }) {
  const busy = delivery.state === "waiting" || delivery.state === "rendering";
  const part = (100 * delivery.written) / Math.max(1, delivery.total);
  return (
    <article aria-label={`Delivery ${delivery.folder}`} className="flex flex-col gap-2 rounded-lg bg-felt-0 p-3">
      <div className="flex items-center gap-3">
        <strong className="font-medium">{WORDS[delivery.state] ?? delivery.state}</strong>
        {busy && delivery.speed > 0 && (
          <span className="figure text-soft">
            {delivery.speed.toFixed(1)} frames a second{delivery.left ? `, ${timeWords(delivery.left)} to go` : ""}
          </span>
        )}
        <span className="figure ml-auto text-soft">
          {delivery.written} of {delivery.total} frames
        </span>
        {busy && <Button onClick={() => askDelivery(delivery, "stop")}>Stop</Button>}
        {(delivery.state === "stopped" || delivery.state === "failed") && (
          <Button onClick={() => askDelivery(delivery, "go-on")}>Write the rest</Button>
        )}
        {delivery.state === "done" && (
          <>
            <Button
              tip="The same things with the fixes as they stand now; only frames that something touches are made anew"
              onClick={() => askDelivery(delivery, "again")}
            >
              Deliver again
            </Button>
            <Button
              tip="Read every file back and hold it against the proof"
              onClick={() => askDelivery(delivery, "check")}
            >
              Check it
            </Button>
          </>
        )}
      </div>
      <Progress.Root value={part} className="h-1 overflow-hidden rounded bg-felt-3" aria-label="Frames written">
        <Progress.Indicator className="h-full bg-thread" style={{ width: `${part}%` }} />
      </Progress.Root>
      {delivery.problem && <p role="alert">{delivery.problem}</p>}
      {delivery.pieces.length > 0 && (
        <p className="text-soft">
          {delivery.pieces.map((one) => `${one.words}: ${one.form_words}, ${one.values}`).join(" · ")}
        </p>
      )}
      <Proof delivery={delivery} />
      {delivery.checked && (
        <p role="status" className={delivery.checked.holds ? "text-quiet" : "text-loud"}>
          {delivery.checked.words}
        </p>
      )}
      <p className="figure break-all text-[11px] text-faint select-text">
        deliveries/{delivery.folder} · {(delivery.bytes / 1e6).toFixed(0)} MB
        {delivery.seconds ? ` · ${timeWords(delivery.seconds)}` : ""}
        {delivery.by ? ` · ${delivery.by}` : ""}
      </p>
    </article>
  );
}

function Proof({ delivery }: { delivery: Delivery }) {
  if (delivery.written === 0) return null;
  const coded = delivery.coded;
  return (
    <p>
      {delivery.values > 0 && (
        <>
          <span className={delivery.changed_outside === 0 ? "text-quiet" : "text-loud"}>
            {count(delivery.changed_outside)} values changed outside the mattes
          </span>
          <span className="text-soft">
            , of {count(delivery.values)} read back; {count(delivery.changed_inside)} changed inside.
          </span>
        </>
      )}
      {coded && (
        <span className="text-soft"> Coded with loss: outside the mattes off by at most {coded.worst} codes.</span>
      )}
    </p>
  );
}
