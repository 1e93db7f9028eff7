import type { Fix, Method, Shot } from "../../../api/client";
import type { Box } from "../../../canvas/view";
import type { Channel, Stress } from "../compare/slice";
import { frameOf, measuredBy } from "./holds";

export const seeAddress = (fix: Fix, frame: number, fixes: Fix[], what: string) =>
  `/pictures/fixes/${fix.id}/sights/${what}/${frame}.png?v=${patchState(fixes, frame)}`;

/** Names the state that patched pictures depend on, so that their addresses change when they do. */
export function patchState(fixes: Fix[], frame: number): string {
  return fixes
    .map((fix) => {
      const { hold } = fix;
      const near = hold ? [frame - 1, frame, frame + 1].map((n) => frameOf(hold, n)?.by).filter(Boolean) : [];
      return `${fix.id}.${fix.version}.${fix.settled}.${near.join("-")}`;
    })
    .join("_");
}

/** How a picture is looked at, beyond its look. */
export interface Way {
  /** Picture pixels across at most; 0 for all of them. */
  wide: number;
  channel: Channel;
  stress: Stress | null;
}

export const VIEW_WIDE = 1280; // the width that proxies are made at
export const PLAIN: Way = { wide: VIEW_WIDE, channel: "colour", stress: null };

function words(shot: Shot, way: Way): string {
  const { channel, stress, wide } = way;
  const pushed = stress ? `&st=${stress.exposure},${stress.gamma},${stress.saturation},${stress.posterise}` : "";
  return `l=${shot.look_name}${wide ? `&wide=${wide}` : ""}${channel === "colour" ? "" : `&ch=${channel}`}${pushed}`;
}

export const sourceAddress = (shot: Shot, frame: number, way: Way = PLAIN) =>
  `/pictures/shots/${shot.id}/frames/${frame}.jpg?${words(shot, way)}`;

export const patchedAddress = (shot: Shot, frame: number, fixes: Fix[], way: Way = PLAIN, changes = false) =>
  `/pictures/shots/${shot.id}/patched/${frame}.jpg?v=${patchState(fixes, frame)}&${words(shot, way)}${changes ? "&changes=1" : ""}`;

/** The same picture without loss, and of it only a part in whole pixels. */
export const partOf = (address: string, part: Box) =>
  `${address.replace(".jpg?", ".png?").replace(`&wide=${VIEW_WIDE}`, "")}&x=${part.left}&y=${part.top}&w=${part.width}&h=${part.height}`;

export const stillAddress = (
  fix: Fix,
  shot: Shot,
  frame: number,
  fixes: Fix[],
  patched: boolean,
  way: Way,
  exact: boolean,
) =>
  `/pictures/fixes/${fix.id}/still/${frame}.${exact ? "png" : "jpg"}?v=${patchState(fixes, frame)}&${words(shot, { ...way, wide: 0 })}${patched ? "&patched=1" : ""}`;

/** The frame as the tracker sees it, with a preparation that is perhaps not yet used. */
export const sightAddress = (fix: Fix, frame: number, method: Method) =>
  `/pictures/fixes/${fix.id}/tracker/${frame}.jpg?v=${fix.hold?.id ?? 0}&prep=${encodeURIComponent(JSON.stringify(method.prep))}`;

export const cropAddress = (fix: Fix, shot: Shot, frame: number, fixes: Fix[], after: boolean) =>
  `/pictures/fixes/${fix.id}/crops/${frame}.jpg?l=${shot.look_name}&v=${after ? patchState(fixes, frame) : `${fix.hold ? measuredBy(fix.hold, frame) : 0}.${fix.edge.nodes.length}.${fix.edge.nodes[0]?.x}`}${after ? "&patched=1" : ""}`;
