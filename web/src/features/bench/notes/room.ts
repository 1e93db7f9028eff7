import { useReview } from "../../../api/reviews";
import { paintNote } from "../../../canvas/notes";
import { useBench } from "../store";
import type { Given, Room, Scene } from "../viewer/room";

/** The open notes of the frame, drawn on the Shot view. */
export function useNotesRoom({ shot, frame }: Given): Room {
  const notes = useReview(shot.id).data?.notes ?? [];
  const chosen = useBench((state) => state.note);
  const here = notes.filter((note) => note.frame === frame && !note.done);
  if (here.length === 0) return {};
  return {
    paint: ({ ink, view, space, playing }: Scene) => {
      if (space !== "shot" || playing) return;
      for (const note of here) paintNote(ink, view, note, note.lines, note.id === chosen);
    },
  };
}
