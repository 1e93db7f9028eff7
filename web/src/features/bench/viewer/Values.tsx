import { useEffect, useState } from "react";
import { body, client, type Schemas, type Shot } from "../../../api/client";
import { useBench } from "../store";

const REST = 70; // ms that the pointer rests before a value is asked for

const codes = (values: number[]) =>
  values.map((value) => (Number.isInteger(value) ? value : value.toPrecision(4))).join(" ");
const light = (values: number[]) => values.map((value) => value.toFixed(4)).join(" ");
const shown = (values: number[]) => values.map((value) => Math.round(value * 255)).join(" ");

/** The pixel under the pointer: what the file holds, the light that it stands for, what the display shows; `below` a line of
 * words at the top. */
export function Values({ shot, below }: { shot: Shot; below: boolean }) {
  const pointer = useBench((state) => state.pointer);
  const frame = useBench((state) => state.frame);
  const playing = useBench((state) => state.playing);
  const patched = useBench((state) => state.compare !== "source" && !state.before);
  const [found, setFound] = useState<Schemas["ValuesOut"] | null>(null);
  const x = Math.round(pointer?.at.x ?? -1);
  const y = Math.round(pointer?.at.y ?? -1);
  const inside =
    pointer?.space === "shot" && !playing && x >= 0 && y >= 0 && x < shot.clip.width && y < shot.clip.height;
  useEffect(() => {
    if (!inside) return;
    let gone = false;
    const later = setTimeout(() => {
      const params = { path: { shot: shot.id }, query: { frame, x, y } };
      const asked = patched
        ? client.GET("/api/shots/{shot}/patched/values", { params })
        : client.GET("/api/shots/{shot}/values", { params });
      body<Schemas["ValuesOut"]>(asked).then(
        (values) => !gone && setFound(values),
        () => !gone && setFound(null), // the picture itself says why there is none
      );
    }, REST);
    return () => {
      gone = true;
      clearTimeout(later);
    };
  }, [inside, shot.id, frame, x, y, patched]);
  if (!inside || !found) return null;
  return (
    <output
      aria-label="Pixel under the pointer"
      className={`figure pointer-events-none absolute right-3 rounded bg-felt-0/85 px-2 py-0.5 text-[11px] text-soft ${below ? "top-12" : "top-2"}`}
    >
      {found.x}, {found.y} <span className="text-faint">code</span> {codes(found.codes)}{" "}
      <span className="text-faint">linear</span> {light(found.linear)} <span className="text-faint">shown</span>{" "}
      {shown(found.shown)}
    </output>
  );
}
