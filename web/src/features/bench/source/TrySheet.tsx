import { useQuery } from "@tanstack/react-query";
import { Dialog } from "radix-ui";
import { useState } from "react";
import { body, client, type Fix, type Schemas } from "../../../api/client";
import { Button, Dot } from "../../../ui/controls";
import { tellLevel } from "../shared/levels";
import type { PanelProps } from "../shared/panel";
import { useBench } from "../store";
import { keepFill, keepSoften } from "./changes";
import type { Kind } from "./ways";

type Way = Schemas["WayOut"];
type Tried = Schemas["TryOut"];

/** The ways that fit, each on this frame, the first and the last, with its loudest tell; a click takes one. */
export function TrySheet({ fix, change }: Pick<PanelProps, "fix" | "change">) {
  const [open, setOpen] = useState(false);
  const frame = useBench((state) => state.frame);
  const [at, setAt] = useState(frame);
  const ways = useQuery({
    queryKey: ["tries", fix.id, fix.version, at],
    enabled: open,
    queryFn: () =>
      body<Way[]>(client.GET("/api/fixes/{fix}/tries", { params: { path: { fix: fix.id }, query: { frame: at } } })),
  });
  const take = (way: Way) => {
    setOpen(false);
    if (way.key === "now") return;
    if (way.key === "soften") return keepSoften(change, fix, {});
    if (way.key !== "replace" && way.key !== "lift" && way.key !== "unveil")
      return keepFill(change, fix, { kind: way.key as Kind });
    const source = way.key;
    change.mutate(({ params, version }) =>
      client.PATCH("/api/fixes/{fix}/source", {
        params,
        body: { version, source, blend: fix.blend, stands: fix.stands },
      }),
    );
  };
  return (
    <Dialog.Root
      open={open}
      onOpenChange={(next) => {
        setOpen(next);
        if (next) setAt(frame);
      }}
    >
      <Dialog.Trigger asChild>
        <Button look="dashed" disabled={!fix.hold} tip="This frame, the first and the last, in each way that fits">
          Try them
        </Button>
      </Dialog.Trigger>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-black/60" />
        <Dialog.Content
          aria-describedby={undefined}
          className="thin-scroll fixed inset-6 z-50 m-auto flex max-h-[92vh] max-w-[1120px] flex-col gap-2 overflow-y-auto rounded-xl border border-line bg-felt-1 p-4"
        >
          <div className="flex items-baseline justify-between">
            <Dialog.Title className="text-[15px] font-medium">Ways to take {fix.name} away</Dialog.Title>
            <Dialog.Close asChild>
              <Button>Leave it as it is</Button>
            </Dialog.Close>
          </div>
          <p className="text-soft">
            Each is as its controls stand; click one to take it. The figure is its loudest tell there.
          </p>
          <ul aria-label="Ways" className="grid gap-2">
            {(ways.data ?? []).map((way) => (
              <Row key={way.key} fix={fix} way={way} take={() => take(way)} />
            ))}
          </ul>
          {ways.isPending && <p className="text-soft">Looking which ways fit</p>}
          {ways.error && <p className="text-loud">{ways.error.message}</p>}
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}

function Row({ fix, way, take }: { fix: Fix; way: Way; take: () => void }) {
  return (
    <li>
      <button
        type="button"
        aria-label={`Take ${way.words}`}
        onClick={take}
        style={{ gridTemplateColumns: `104px repeat(${way.frames.length}, 1fr)` }}
        className="grid w-full items-center gap-2 rounded-lg border border-transparent p-1.5 text-left hover:border-thread hover:bg-felt-2"
      >
        <b className="font-medium">{way.words}</b>
        {way.frames.map((frame) => (
          <OneTry key={frame} fix={fix} way={way} frame={frame} />
        ))}
      </button>
    </li>
  );
}

/** A way on a frame: asked for one after the other, since each takes the server some time. */
function OneTry({ fix, way, frame }: { fix: Fix; way: Way; frame: number }) {
  const path = { fix: fix.id, key: way.key };
  const tried = useQuery({
    queryKey: ["try", fix.id, fix.version, way.key, frame],
    retry: false,
    queryFn: () => body<Tried>(client.GET("/api/fixes/{fix}/tries/{key}", { params: { path, query: { frame } } })),
  });
  if (tried.error) return <span className="p-2 text-[11.5px] text-noticeable">{tried.error.message}</span>;
  if (!tried.data)
    return <span className="grid h-[120px] place-items-center rounded bg-felt-0 text-faint">laying {frame}</span>;
  const address = `/pictures/fixes/${fix.id}/tries/${encodeURIComponent(way.key)}/${frame}.jpg?v=${fix.version}`;
  return (
    <span className="flex flex-col gap-1">
      <img
        alt={`${way.words} on ${frame}`}
        src={address}
        className="h-[120px] w-full rounded bg-felt-0 object-contain"
      />
      <span className="figure flex items-center gap-1.5 text-[11.5px] text-soft">
        <Dot level={tellLevel(tried.data.value)} />
        {tried.data.value < 1
          ? `${tried.data.value.toFixed(1)} quiet`
          : `${tried.data.tell} ${tried.data.value.toFixed(1)}`}
        <span className="ml-auto text-faint">{frame}</span>
      </span>
    </span>
  );
}
