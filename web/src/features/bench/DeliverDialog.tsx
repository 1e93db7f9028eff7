import { Dialog } from "radix-ui";
import { useState } from "react";
import { body, client, type Delivery, type Shot } from "../../api/client";
import { keys, queries, useDeliveries } from "../../api/queries";
import { Button } from "../../ui/controls";
import { DeliveryCard } from "../../ui/DeliveryCard";

/** Ask for a delivery, watch it, read its proof. */
export function DeliverDialog({ shot, open, onClose }: { shot: Shot; open: boolean; onClose: () => void }) {
  const { clip } = shot;
  const [range, setRange] = useState({ first: clip.first, last: clip.last });
  const [problem, setProblem] = useState<string | null>(null);
  const [mine, setMine] = useState<number | null>(null);
  const { data } = useDeliveries();
  const shown = data?.filter((entry) => entry.shot === shot.id) ?? [];
  const current = shown.find((entry) => entry.id === mine) ?? null;

  const start = async () => {
    setProblem(null);
    try {
      const made = await body<Delivery>(
        client.POST("/api/shots/{shot}/deliver", { params: { path: { shot: shot.id } }, body: range }),
      );
      setMine(made.id);
      void queries.invalidateQueries({ queryKey: keys.deliveries });
    } catch (error) {
      setProblem((error as Error).message);
    }
  };
  const field = (label: string, key: "first" | "last") => (
    <label className="flex items-center gap-2 text-soft">
      {label}
      <input
        type="number"
        value={range[key]}
        min={clip.first}
        max={clip.last}
        onChange={(event) => setRange({ ...range, [key]: Number(event.target.value) })}
        onKeyDown={(event) => event.stopPropagation()}
        className="figure w-20 rounded-md border border-line bg-felt-0 px-2 py-1 text-ink select-text"
      />
    </label>
  );
  return (
    <Dialog.Root open={open} onOpenChange={(now) => !now && onClose()}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-black/50" />
        <Dialog.Content className="fixed top-1/2 left-1/2 z-50 flex w-[520px] -translate-x-1/2 -translate-y-1/2 flex-col gap-3 rounded-xl border border-line bg-felt-1 p-5 shadow-2xl">
          <Dialog.Title className="text-[15px] font-semibold">Deliver {shot.name}</Dialog.Title>
          <Dialog.Description className="text-soft">
            The finished frames are written in the source's own format, {clip.depth === "uint16" ? "16" : "8"} bit, with
            its numbering. Each is read back and compared: outside the mattes not one value may differ.
          </Dialog.Description>
          <div className="flex items-center gap-4">
            {field("From", "first")}
            {field("to", "last")}
            <Button look="main" className="ml-auto" onClick={start}>
              Write {Math.max(0, range.last - range.first + 1)} frames
            </Button>
          </div>
          {problem && (
            <p role="alert" className="rounded-md border border-noticeable bg-felt-0 px-3 py-2">
              {problem}
            </p>
          )}
          {(current ?? shown[0]) && <DeliveryCard delivery={current ?? shown[0]!} />}
          <div className="flex justify-end">
            <Dialog.Close asChild>
              <Button>Close</Button>
            </Dialog.Close>
          </div>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
