import { useReview } from "../../../api/reviews";
import { toScreen } from "../../../canvas/view";
import { useBench } from "../store";
import type { Given, Room, Scene } from "../viewer/room";

const PIN = 6; // screen px

/** The open notes of the frame, drawn on the Shot view. */
export function useNotesRoom({ shot, frame }: Given): Room {
  const notes = useReview(shot.id).data?.notes ?? [];
  const chosen = useBench((state) => state.note);
  const here = notes.filter((note) => note.frame === frame && !note.done);
  if (here.length === 0) return {};
  return {
    paint: ({ ink, view, space, playing }: Scene) => {
      if (space !== "shot" || playing) return;
      for (const note of here) {
        const colour = note.id === chosen ? "#b9a8f2" : "#ffffff";
        ink.save();
        ink.lineCap = ink.lineJoin = "round";
        for (const line of note.lines) {
          const path = new Path2D();
          line.forEach(([x, y], k) => {
            const at = toScreen(view, { x, y });
            if (k) path.lineTo(at.x, at.y);
            else path.moveTo(at.x, at.y);
          });
          ink.strokeStyle = "rgb(0 0 0 / 55%)";
          ink.lineWidth = 4.5;
          ink.stroke(path);
          ink.strokeStyle = colour;
          ink.lineWidth = 2;
          ink.stroke(path);
        }
        if (note.x !== null && note.y !== null) {
          const at = toScreen(view, { x: note.x, y: note.y });
          ink.beginPath();
          ink.arc(at.x, at.y, PIN, 0, 2 * Math.PI);
          ink.fillStyle = colour;
          ink.strokeStyle = "rgb(0 0 0 / 70%)";
          ink.lineWidth = 2;
          ink.fill();
          ink.stroke();
        }
        ink.restore();
      }
    },
  };
}
