import type { Fix, Hold, Method, Node, Outline, Shot, TellRow } from "../../api/client";
import type { Box } from "../../canvas/view";
import { type HoldMap, identity, meshMap, planarMap } from "../../geometry/holdmap";
import { keyedNodes, type PathNode } from "../../geometry/path";
import type { Channel, Stress } from "./store";

/** RMS of drift over the ground at which a careful artist looks twice, and at which it is likely off (px). */
export const NOTICEABLE = 1.4;
export const LOUD = 2.4;

export type Level = "quiet" | "noticeable" | "loud" | "none";

export function level(drift: number | undefined, lost = false): Level {
  if (lost) return "loud";
  if (drift === undefined) return "none";
  return drift >= LOUD ? "loud" : drift >= NOTICEABLE ? "noticeable" : "quiet";
}

export const running = (hold: Hold | null | undefined) => hold?.state === "waiting" || hold?.state === "tracking";

export interface Loudest {
  frame: number;
  drift: number;
  lost: boolean;
}

export function loudest(hold: Hold | null | undefined): Loudest | null {
  const frames = hold?.frames ?? [];
  if (frames.length === 0) return null;
  return frames.reduce((a, b) => ((Number(b.lost) - Number(a.lost) || b.drift - a.drift) > 0 ? b : a));
}

export function mapOf(hold: Hold, frame: number, params: number[] | undefined): HoldMap | null {
  if (frame === hold.anchor) return identity;
  if (!params) return null;
  return hold.grid ? meshMap(hold.grid, params) : planarMap(params);
}

/** The hold that measured a frame: its map of that frame never changes. */
export const measuredBy = (hold: Hold, frame: number): number =>
  hold.frames.find((entry) => entry.frame === frame)?.by ?? hold.id;

export const isOff = (fix: Fix, frame: number) =>
  fix.off.some(([first, last]) => frame >= (first ?? 0) && frame <= (last ?? 0));

export const isHeld = (hold: Hold, frame: number) =>
  frame === hold.anchor || hold.frames.some((entry) => entry.frame === frame);

export const pathNodes = (nodes: Node[]): PathNode[] =>
  nodes.map((node) => ({
    x: node.x,
    y: node.y,
    into: { x: node.into?.[0] ?? 0, y: node.into?.[1] ?? 0 },
    out: { x: node.out?.[0] ?? 0, y: node.out?.[1] ?? 0 },
    soft: node.soft ?? 0,
  }));

const fine = (value: number) => Math.round(value * 100) / 100;

export const apiNodes = (nodes: PathNode[]): Node[] =>
  nodes.map((node) => ({
    x: fine(node.x),
    y: fine(node.y),
    into: [fine(node.into.x), fine(node.into.y)],
    out: [fine(node.out.x), fine(node.out.y)],
    soft: fine(node.soft ?? 0),
  }));

/** An outline's points on a frame. */
export function outlineNodes(outline: Outline | undefined, frame: number): PathNode[] {
  if (!outline) return [];
  const keys = (outline.keys ?? []).map((key) => ({ frame: key.frame, nodes: pathNodes(key.nodes) }));
  return keys.length ? keyedNodes(keys, frame) : pathNodes(outline.nodes ?? []);
}

/** The outline with other points, on this frame alone if it is keyed or `keying`. */
export function withNodes(
  outline: Outline,
  nodes: PathNode[],
  frame: number,
  keying: boolean,
  anchor: number,
): Outline {
  const made = apiNodes(nodes);
  const keys = outline.keys ?? [];
  if (!keying && keys.length === 0) return { ...outline, nodes: made };
  const first = keys.length ? keys : frame === anchor ? [] : [{ frame: anchor, nodes: outline.nodes ?? [] }];
  const rest = first.filter((key) => key.frame !== frame);
  return { ...outline, nodes: null, keys: [...rest, { frame, nodes: made }].sort((a, b) => a.frame - b.frame) };
}

export const TELLS = ["drift", "seam", "light", "texture", "grain", "flicker"] as const;
export type TellName = (typeof TELLS)[number];

/** Tells are 1.0 where a careful viewer would notice. */
export const tellLevel = (value: number | undefined): Level =>
  value === undefined ? "none" : value >= 2 ? "loud" : value >= 1 ? "noticeable" : "quiet";

/** The first frame after this one (round again) on which some tell is not quiet. */
export function nextLoud(rows: TellRow[], frame: number): number | null {
  const loud = rows.filter((row) => TELLS.some((name) => row[name] >= 1)).map((row) => row.frame);
  return loud.find((at) => at > frame) ?? loud[0] ?? null;
}

export const seeAddress = (fix: Fix, frame: number, fixes: Fix[], what: string) =>
  `/pictures/fixes/${fix.id}/sights/${what}/${frame}.png?v=${patchState(fixes, frame)}`;

/** Names the state that patched pictures depend on, so that their addresses change when they do. */
export function patchState(fixes: Fix[], frame: number): string {
  return fixes
    .map((fix) => {
      const near = fix.hold?.frames.filter((entry) => Math.abs(entry.frame - frame) <= 1) ?? [];
      return `${fix.id}.${fix.version}.${fix.settled}.${near.map((entry) => entry.by).join("-")}`;
    })
    .join("_");
}

export const shotBox = (shot: Shot): Box => ({ left: 0, top: 0, width: shot.clip.width, height: shot.clip.height });

export const stillBox = (hold: Hold): Box => ({
  left: hold.still_left,
  top: hold.still_top,
  width: hold.still_width,
  height: hold.still_height,
});

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
