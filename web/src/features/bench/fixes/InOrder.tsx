import {
  closestCenter,
  DndContext,
  type DragEndEvent,
  KeyboardSensor,
  PointerSensor,
  useSensor,
  useSensors,
} from "@dnd-kit/core";
import {
  arrayMove,
  SortableContext,
  sortableKeyboardCoordinates,
  verticalListSortingStrategy,
} from "@dnd-kit/sortable";
import type { ReactNode } from "react";
import { client, type Fix, type Shot } from "../../../api/client";
import { keys, queries } from "../../../api/queries";
import { say } from "../../../ui/messages";

/** The list can be dragged into another order, by its handles or from the keyboard. */
export function InOrder({ shot, fixes, children }: { shot: Shot; fixes: Fix[]; children: ReactNode }) {
  const sensors = useSensors(
    useSensor(PointerSensor, { activationConstraint: { distance: 4 } }),
    useSensor(KeyboardSensor, { coordinateGetter: sortableKeyboardCoordinates }),
  );
  const ids = fixes.map((fix) => fix.id);
  const name = (id: number | string) => fixes.find((fix) => fix.id === id)?.name;
  const moved = async ({ active, over }: DragEndEvent) => {
    if (!over || over.id === active.id) return;
    const order = arrayMove(ids, ids.indexOf(Number(active.id)), ids.indexOf(Number(over.id)));
    const key = keys.fixes(shot.id);
    queries.setQueryData<Fix[]>(
      key,
      order.map((id) => fixes.find((fix) => fix.id === id)!),
    );
    try {
      await client.PUT("/api/shots/{shot}/order", { params: { path: { shot: shot.id } }, body: { fixes: order } });
    } catch (problem) {
      say((problem as Error).message);
    }
    void queries.invalidateQueries({ queryKey: key });
    void queries.invalidateQueries({ queryKey: keys.shot(shot.id) });
  };
  return (
    <DndContext
      sensors={sensors}
      collisionDetection={closestCenter}
      onDragEnd={(event) => void moved(event)}
      accessibility={{
        screenReaderInstructions: {
          draggable: "Press space to take the fix up, the arrow keys to move it, space to lay it down.",
        },
        announcements: {
          onDragStart: ({ active }) => `${name(active.id)} is taken up.`,
          onDragOver: ({ active, over }) =>
            over && over.id !== active.id ? `${name(active.id)} would lie where ${name(over.id)} is.` : undefined,
          onDragEnd: ({ active, over }) => (over ? `${name(active.id)} lies where ${name(over.id)} was.` : undefined),
          onDragCancel: ({ active }) => `${name(active.id)} stays where it was.`,
        },
      }}
    >
      <SortableContext items={ids} strategy={verticalListSortingStrategy}>
        {children}
      </SortableContext>
    </DndContext>
  );
}
