import { Dialog } from "radix-ui";
import { useState } from "react";
import { body, client, type Delivery, type Piece, type Problem, type Shot } from "../../../api/client";
import { keys, queries, useDeliveries } from "../../../api/queries";
import { useDisks, useForms } from "../../../api/studio";
import { Button, Check } from "../../../ui/controls";
import { DeliveryCard } from "../../../ui/DeliveryCard";
import { PieceRow } from "./PieceRow";
import { Presets } from "./Presets";
import { ORDER, piece, WHAT } from "./pieces";

/** Ask for a delivery, watch it, read its proof. */
export function DeliverDialog({ shot, open, onClose }: { shot: Shot; open: boolean; onClose: () => void }) {
  return (
    <Dialog.Root open={open} onOpenChange={(now) => !now && onClose()}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-black/50" />
        <Dialog.Content
          onKeyDown={(event) => event.stopPropagation()}
          className="thin-scroll fixed top-1/2 left-1/2 z-50 flex max-h-[94vh] w-[780px] max-w-[96vw] -translate-x-1/2 -translate-y-1/2 flex-col gap-3 overflow-y-auto rounded-xl border border-line bg-felt-1 p-5 shadow-2xl"
        >
          <Dialog.Title className="text-[15px] font-semibold">Deliver {shot.name}</Dialog.Title>
          <Dialog.Description className="text-soft">
            Each frame is read back and compared: outside the mattes not one value may differ.
          </Dialog.Description>
          <Asked shot={shot} />
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}

function Asked({ shot }: { shot: Shot }) {
  const { clip } = shot;
  const forms = useForms().data ?? [];
  const low = useDisks().data?.find((disk) => disk.name === "Deliveries" && disk.state !== "ok");
  const [range, setRange] = useState({ first: clip.first, last: clip.last });
  const [pieces, setPieces] = useState<Piece[]>([piece("frames")]);
  const [look, setLook] = useState(false);
  const [folder, setFolder] = useState("");
  const [problem, setProblem] = useState<{ words: string; kind: string } | null>(null);
  const [mine, setMine] = useState<number | null>(null);
  const { data } = useDeliveries();
  const shown = data?.filter((entry) => entry.shot === shot.id) ?? [];
  const current = shown.find((entry) => entry.id === mine) ?? shown[0];
  const start = async () => {
    setProblem(null);
    try {
      const made = await body<Delivery>(
        client.POST("/api/shots/{shot}/deliver", {
          params: { path: { shot: shot.id } },
          body: { ...range, pieces, with_look: look, folder, priority: 0 },
        }),
      );
      setMine(made.id);
      setFolder("");
      void queries.invalidateQueries({ queryKey: keys.deliveries });
    } catch (error) {
      setProblem({ words: (error as Problem).message, kind: (error as Problem).kind });
    }
  };
  const takeFootage = async () => {
    try {
      await body(client.POST("/api/shots/{shot}/take-footage", { params: { path: { shot: shot.id } } }));
      setProblem(null);
    } catch (error) {
      setProblem({ words: (error as Problem).message, kind: (error as Problem).kind });
    }
  };
  return (
    <>
      <div className="flex flex-wrap items-center gap-3">
        <Edge label="From" value={range.first} clip={clip} set={(first) => setRange({ ...range, first })} />
        <Edge label="to" value={range.last} clip={clip} set={(last) => setRange({ ...range, last })} />
        {shot.cut_in !== null && shot.cut_out !== null && shot.handles > 0 && (
          <>
            <Button onClick={() => setRange({ first: shot.cut_in!, last: shot.cut_out! })}>The cut alone</Button>
            <Button onClick={() => setRange({ first: clip.first, last: clip.last })}>With handles</Button>
          </>
        )}
        <span className="ml-auto" />
        <Presets
          job={shot.job}
          pieces={pieces}
          withLook={look}
          onTake={(next, beside) => {
            setPieces(next);
            setLook(beside);
          }}
          onProblem={(words) => setProblem({ words, kind: "" })}
        />
      </div>
      <ul className="flex flex-col gap-1.5">
        {pieces.map((one, k) => (
          <PieceRow
            // biome-ignore lint/suspicious/noArrayIndexKey: pieces have no name of their own
            key={k}
            shot={shot}
            piece={one}
            forms={forms}
            spare={pieces.length > 1}
            onChange={(next) => setPieces(pieces.map((old, at) => (at === k ? next : old)))}
            onDrop={() => setPieces(pieces.filter((_, at) => at !== k))}
          />
        ))}
      </ul>
      <div className="flex flex-wrap items-center gap-1.5">
        <span className="text-soft">Add</span>
        {ORDER.map((what) => (
          <Button key={what} look="dashed" tip={WHAT[what].tip} onClick={() => setPieces([...pieces, piece(what)])}>
            {WHAT[what].add}
          </Button>
        ))}
      </div>
      <div className="flex flex-wrap items-center gap-x-5 gap-y-2">
        <Check words="The look beside them (.cube, CDL)" on={look} set={setLook} />
        <label className="flex items-center gap-2 text-soft">
          Folder
          <input
            value={folder}
            placeholder="named after the shot"
            onChange={(event) => setFolder(event.target.value)}
            className="figure h-[26px] w-44 rounded-md border border-line bg-felt-0 px-2 text-[11.5px] text-ink select-text"
          />
        </label>
        <Button look="main" className="ml-auto h-8" onClick={start}>
          Write {Math.max(0, range.last - range.first + 1)} frames
        </Button>
      </div>
      {low && (
        <p role="status" className="text-noticeable">
          The deliveries' disk is {low.state === "full" ? "full" : "nearly full"}: {(low.free / 1e9).toFixed(1)} GB
          free. Clear something under Deliveries, Storage.
        </p>
      )}
      {problem && (
        <div role="alert" className="flex items-center gap-3 rounded-md border border-noticeable bg-felt-0 px-3 py-2">
          <span className="flex-1">{problem.words}</span>
          {problem.kind === "changed-source" && <Button onClick={takeFootage}>Take them as they are now</Button>}
        </div>
      )}
      {current && <DeliveryCard delivery={current} />}
      <div className="flex justify-end">
        <Dialog.Close asChild>
          <Button>Close</Button>
        </Dialog.Close>
      </div>
    </>
  );
}

function Edge({
  label,
  value,
  clip,
  set,
}: {
  label: string;
  value: number;
  clip: Shot["clip"];
  set: (n: number) => void;
}) {
  return (
    <label className="flex items-center gap-2 text-soft">
      {label}
      <input
        type="number"
        value={value}
        min={clip.first}
        max={clip.last}
        onChange={(event) => set(Number(event.target.value))}
        className="figure w-20 rounded-md border border-line bg-felt-0 px-2 py-1 text-ink select-text"
      />
    </label>
  );
}
