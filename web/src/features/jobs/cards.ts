import type { Schemas, Shot } from "../../api/client";

export type Card = Schemas["CardOut"];
export type Order = "order" | "work" | "name";

export const STATUS: Record<string, string> = {
  todo: "To do",
  "in-hand": "In hand",
  "to-review": "To review",
  approved: "Approved",
  delivered: "Delivered",
};
const IN_ORDER = Object.keys(STATUS);

export const levelOf = (value: number | null) =>
  value === null ? "none" : value >= 2 ? "loud" : value >= 1 ? "noticeable" : "quiet";

/** The loudest tell of a shot's fixes; none while nothing is measured. */
export function loudestOf(card: Card | undefined): { value: number; frame: number } | null {
  const all = (card?.fixes ?? []).filter((fix) => fix.on && fix.loud !== null);
  if (all.length === 0) return null;
  const worst = all.reduce((a, b) => (b.loud! > a.loud! ? b : a));
  return { value: worst.loud!, frame: worst.frame! };
}

/** How a shot's fixes stand, in a line. */
export function fixesWords(card: Card | undefined): string {
  const fixes = card?.fixes ?? [];
  if (fixes.length === 0) return "nothing circled yet";
  const open = fixes.filter((fix) => fix.on && fix.lacks).length;
  const tracking = fixes.filter((fix) => fix.state === "tracking").length;
  const off = fixes.filter((fix) => !fix.on).length;
  return [
    fixes.length === 1 ? "1 fix" : `${fixes.length} fixes`,
    tracking ? `${tracking} tracking` : "",
    open ? `${open} not whole yet` : "",
    off ? `${off} off` : "",
  ]
    .filter(Boolean)
    .join(", ");
}

/** How much a shot asks for: by status, then what is not whole, then how loud its tells are. */
function need(shot: Shot, card: Card | undefined): number {
  const status = IN_ORDER.length - IN_ORDER.indexOf(shot.status);
  const open = card && (card.fixes.length === 0 || card.fixes.some((fix) => fix.on && fix.lacks)) ? 1 : 0;
  return status * 1000 + open * 500 + Math.min(499, 10 * (loudestOf(card)?.value ?? 0));
}

/** The shots of a job in the order asked for. */
export function sorted(shots: Shot[], order: Order, cards: Map<number, Card>): Shot[] {
  const list = [...shots];
  if (order === "name") list.sort((a, b) => a.name.localeCompare(b.name, undefined, { numeric: true }));
  if (order === "work") list.sort((a, b) => need(b, cards.get(b.id)) - need(a, cards.get(a.id)));
  return list;
}
