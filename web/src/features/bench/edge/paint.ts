import type { Fix } from "../../../api/client";
import * as draw from "../../../canvas/draw";
import { flatten, type PathNode } from "../../../geometry/path";
import { add } from "../../../geometry/points";
import { outlineNodes } from "../shared/nodes";
import { outline, type Place } from "../viewer/paint";

type Ink = CanvasRenderingContext2D;

/** Where the patch is full, and where it ends. */
export function extent(ink: Ink, place: Place, full: number[][][], ends: number[][][]) {
  for (const [lines, strong] of [
    [full, true],
    [ends, false],
  ] as const)
    for (const line of lines) {
      ink.save();
      ink.setLineDash(strong ? [] : [2, 4]);
      ink.strokeStyle = strong ? "rgba(185,168,242,.8)" : "rgba(233,233,230,.65)";
      ink.lineWidth = 1;
      ink.beginPath();
      line.forEach(([x, y], i) => {
        const p = place({ x: x!, y: y! });
        if (i === 0) ink.moveTo(p.x, p.y);
        else ink.lineTo(p.x, p.y);
      });
      ink.closePath();
      ink.stroke();
      ink.restore();
    }
}

/** What was drawn to be in front (hatched strongly) or not, on this frame. */
export function drawnFront(ink: Ink, place: Place, fix: Fix, frame: number) {
  for (const shape of fix.front.shapes ?? []) {
    if (shape.span && (frame < (shape.span[0] ?? 0) || frame > (shape.span[1] ?? 0))) continue;
    const nodes = outlineNodes(shape, frame);
    if (shape.width) outline(ink, place, nodes, shape.width, false);
    else draw.hatched(ink, flatten(nodes).map(place), !shape.takes);
  }
}

export function grips(ink: Ink, place: Place, nodes: PathNode[], chosen: number | null) {
  nodes.forEach((node, i) => {
    if (i === chosen)
      for (const end of [node.into, node.out])
        if (end.x !== 0 || end.y !== 0) draw.handle(ink, place(node), place(add(node, end)));
    draw.node(ink, place(node), i === chosen);
  });
}
