import type { Box, View } from "../../../canvas/view";
import { toScreen } from "../../../canvas/view";
import type { HoldMap } from "../../../geometry/holdmap";
import { stillAddress } from "../shared/addresses";
import { isHeld } from "../shared/holds";
import { useBench } from "../store";
import * as paint from "./paint";
import { addressOf, useBitmap, useDetail, useWay } from "./pictures";
import type { Given, Room } from "./room";
import type { Space } from "./slice";
import { clipToSide, splitLine } from "./split";

/** The Shot view's pictures: the frame, what is seen of it closely, and the source beside it in Split. */
export function useShotPicture(given: Given, rooms: Room[], compare: string, box: Box, view: View) {
  const { shot, fixes, frame } = given;
  const { main, playing, sizes, line, hidden } = useBench();
  const way = useWay(shot, view);
  const split = compare === "split";
  const own = rooms.map((room) => room.shot).find(Boolean) ?? null;
  const frozen = playing && main === "still";
  const address = own?.address ?? addressOf(shot, frame, split ? "patched" : (compare as "patched"), fixes, way);
  const picture = useBitmap(address, frozen);
  const detail = useDetail(own ? null : address, box, view, sizes.shot);
  const sourceAt = split ? addressOf(shot, frame, "source", fixes, way) : null;
  const source = useBitmap(sourceAt, frozen);
  const sourceDetail = useDetail(sourceAt, box, view, sizes.shot);
  function draw(ink: CanvasRenderingContext2D, view: View) {
    if (picture.bitmap) paint.picture(ink, view, picture.bitmap, 0, 0, shot.clip);
    if (detail) paint.picture(ink, view, detail.bitmap, detail.left, detail.top);
    if (!split || !source.bitmap) return;
    const middle = toScreen(view, line.at ?? { x: (shot.clip.width - 1) / 2, y: (shot.clip.height - 1) / 2 });
    ink.save();
    clipToSide(ink, middle, line.angle);
    paint.picture(ink, view, source.bitmap, 0, 0, shot.clip);
    if (sourceDetail) paint.picture(ink, view, sourceDetail.bitmap, sourceDetail.left, sourceDetail.top);
    ink.restore();
    if (!hidden) splitLine(ink, middle, line.angle);
  }
  return { draw, way, problem: picture.problem };
}

/** The Still view's picture: a room's own, or the frame held still. */
export function useStillPicture(
  given: Given,
  rooms: Room[],
  compare: string,
  way: ReturnType<typeof useWay>,
  scale: number,
) {
  const { shot, fix, fixes, frame } = given;
  const { main, playing } = useBench();
  const hold = fix?.hold ?? null;
  const known = !!fix && !!hold && isHeld(hold, frame);
  const own = rooms.map((room) => room.still).find(Boolean) ?? null;
  const patched = compare !== "source" && !fix?.lacks;
  const held = fix && known ? stillAddress(fix, shot, frame, fixes, patched, way, !playing && scale >= 1) : null;
  const { bitmap } = useBitmap(own?.draw ? null : (own?.address ?? held), playing && main === "shot");
  return {
    there: known || !!own?.draw,
    words: own?.words ?? (fix ? `Still ${frame}` : "Still"),
    draw(ink: CanvasRenderingContext2D, view: View) {
      if (own?.draw) own.draw(ink, view);
      else if (bitmap && hold) paint.picture(ink, view, bitmap, hold.still_left, hold.still_top);
    },
  };
}

/** The box of the mark on the screen, in one of the pictures. */
export function markOf({ fix }: Given, space: Space, view: View, map: HoldMap | null): Box | null {
  const nodes = fix?.edge.nodes ?? [];
  if (nodes.length === 0 || (space === "shot" && !map && !fix?.stands)) return null;
  const at = nodes.map((node) => {
    const inFrame = space === "shot" ? !fix!.stands : fix!.stands;
    return toScreen(view, inFrame && map ? (space === "shot" ? map.forward(node) : map.inverse(node)) : node);
  });
  const left = Math.min(...at.map((p) => p.x));
  const top = Math.min(...at.map((p) => p.y));
  return {
    left,
    top,
    width: Math.max(...at.map((p) => p.x)) - left,
    height: Math.max(...at.map((p) => p.y)) - top,
  };
}
