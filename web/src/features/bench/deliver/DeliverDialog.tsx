import { Dialog } from "radix-ui";
import { useState } from "react";
import { body, client, type Delivery, type Shot } from "../../../api/client";
import { keys, queries, useDeliveries } from "../../../api/queries";
import { Button } from "../../../ui/controls";
import { DeliveryCard } from "../../../ui/DeliveryCard";

/** Ask for a delivery, watch it, read its proof. */
export function DeliverDialog({ shot, open, onClose }: { shot: Shot; open: boolean; onClose: () => void }) {
  const { clip } = shot;
  const [range, setRange] = useState({ first: clip.first, last: clip.last });
  const [more, setMore] = useState({ with_look: false, with_preview: false });
  const [problem, setProblem] = useState<string | null>(null);
  const [mine, setMine] = useState<number | null>(null);
  const { data } = useDeliveries();
  const shown = data?.filter((entry) => entry.shot === shot.id) ?? [];
  const current = shown.find((entry) => entry.id === mine) ?? null;

  const start = async () => {
    setProblem(null);
    try {
      const made = await body<Delivery>(
        client.POST("/api/shots/{shot}/deliver", { params: { path: { shot: shot.id } }, body: { ...range, ...more } }),
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
  const check = (words: string, key: keyof typeof more) => (
    <label className="flex items-center gap-2">
      <input
        type="checkbox"
        checked={more[key]}
        onChange={(event) => setMore({ ...more, [key]: event.target.checked })}
        className="accent-[#b9a8f2]"
      />
      {words}
    </label>
  );
  return (
    <Dialog.Root open={open} onOpenChange={(now) => !now && onClose()}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-black/50" />
        <Dialog.Content className="fixed top-1/2 left-1/2 z-50 flex w-[520px] -translate-x-1/2 -translate-y-1/2 flex-col gap-3 rounded-xl border border-line bg-felt-1 p-5 shadow-2xl">
          <Dialog.Title className="text-[15px] font-semibold">Deliver {shot.name}</Dialog.Title>
          <Dialog.Description className="text-soft">
            {kindOf(shot)} Each frame is read back and compared: outside the mattes not one value may differ.
          </Dialog.Description>
          <div className="flex items-center gap-4">
            {field("From", "first")}
            {field("to", "last")}
            <Button look="main" className="ml-auto" onClick={start}>
              Write {Math.max(0, range.last - range.first + 1)} frames
            </Button>
          </div>
          <div className="flex gap-5 text-soft">
            {check("The look beside them (.cube, CDL)", "with_look")}
            {check("A graded preview movie", "with_preview")}
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

/** What is written, in words. */
function kindOf({ clip }: Shot): string {
  if (clip.kind === "movie")
    return `The finished frames are written as one movie without loss (FFV1, Matroska) in the source's own samples, with its rate, timecode and sound.${clip.lossy ? " The source's own codec would change every frame." : ""}`;
  const depth = clip.depth.startsWith("float")
    ? clip.depth === "float16"
      ? "half float"
      : "float"
    : `${clip.bits} bit`;
  if (clip.codec === "jpg" || clip.codec === "jpeg")
    return "JPEG cannot give values back, so the finished frames are written as 8 bit TIFF with the source's numbering.";
  const packed = clip.lossy ? ", with a compression that loses nothing," : "";
  return `The finished frames are written as ${clip.codec.toUpperCase()}, ${depth},${packed} with the source's numbering and all else that its files hold.`;
}
