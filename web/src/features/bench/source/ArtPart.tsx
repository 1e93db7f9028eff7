import { useRef, useState } from "react";
import { client, type Fix } from "../../../api/client";
import { keepFix, send } from "../../../api/queries";
import { Button, Select, Slider } from "../../../ui/controls";
import { say } from "../../../ui/messages";
import type { PanelProps } from "../shared/panel";

const MODES = ["normal", "multiply", "screen", "overlay", "soft light", "colour"] as const;

/** Artwork on the surface: its file, its blend mode, its opacity. Its corners are dragged on the picture. */
export function ArtPart({ fix, change }: PanelProps) {
  const input = useRef<HTMLInputElement>(null);
  const [opacity, setOpacity] = useState<number | null>(null);
  const art = fix.art;
  const bring = async (file: File) => {
    const data = new FormData();
    data.set("version", String(fix.version));
    data.set("file", file);
    try {
      keepFix(await send<Fix>(`/api/fixes/${fix.id}/art`, data));
    } catch (problem) {
      say((problem as Error).message);
    }
  };
  const keep = (part: { mode?: (typeof MODES)[number]; opacity?: number }) => {
    if (!art) return;
    const body = {
      corners: art.corners as [number, number][],
      mode: art.mode as (typeof MODES)[number],
      opacity: art.opacity,
      ...part,
    };
    change.mutate(({ params, version }) =>
      client.PATCH("/api/fixes/{fix}/art", { params, body: { version, ...body } }),
    );
  };
  return (
    <>
      <div className="flex items-center gap-2">
        <Button look={art ? "plain" : "main"} onClick={() => input.current?.click()}>
          {art ? "Other artwork" : "Bring in artwork"}
        </Button>
        {art && <span className="min-w-0 truncate text-soft">{art.name}</span>}
      </div>
      <input
        ref={input}
        type="file"
        aria-label="Artwork"
        accept=".png,.tif,.tiff,.exr,.jpg,.jpeg"
        className="hidden"
        onChange={(event) => {
          const file = event.target.files?.[0];
          event.target.value = "";
          if (file) void bring(file);
        }}
      />
      {art ? (
        <>
          <Select
            label="Blend"
            value={art.mode}
            options={[...MODES]}
            onChange={(mode) => keep({ mode: mode as "normal" })}
          />
          <Slider
            label="Opacity"
            value={Math.round((opacity ?? art.opacity) * 100)}
            min={0}
            max={100}
            words={`${Math.round((opacity ?? art.opacity) * 100)} %`}
            onChange={(value) => setOpacity(value / 100)}
            onDone={(value) => {
              setOpacity(null);
              keep({ opacity: value / 100 });
            }}
          />
          <p className="text-[11.5px] text-faint">
            Drag its corners on the picture; drag inside it to move it. The edge cuts it off.
          </p>
        </>
      ) : (
        <p className="text-[11.5px] text-faint">
          A picture with alpha (PNG, TIFF, OpenEXR). It takes the surface's light and grain.
        </p>
      )}
    </>
  );
}
