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
  SortableContext,
  sortableKeyboardCoordinates,
  useSortable,
  verticalListSortingStrategy,
} from "@dnd-kit/sortable";
import { DotsSixVertical } from "@phosphor-icons/react";
import type { ReactNode } from "react";

/** A list whose rows are dragged into order, or moved by Alt and the arrow keys. move: from one place to another. */
export function Sortable({
  ids,
  move,
  children,
}: {
  ids: readonly string[];
  move: (from: number, to: number) => void;
  children: ReactNode;
}) {
  const sensors = useSensors(
    useSensor(PointerSensor, { activationConstraint: { distance: 4 } }),
    useSensor(KeyboardSensor, { coordinateGetter: sortableKeyboardCoordinates }),
  );
  const end = ({ active, over }: DragEndEvent) => {
    const [from, to] = [ids.indexOf(String(active.id)), over ? ids.indexOf(String(over.id)) : -1];
    if (from >= 0 && to >= 0 && from !== to) move(from, to);
  };
  return (
    // What a screen reader is told stands outside of the list.
    <DndContext
      sensors={sensors}
      collisionDetection={closestCenter}
      onDragEnd={end}
      accessibility={{ container: document.body }}
    >
      <SortableContext items={[...ids]} strategy={verticalListSortingStrategy}>
        {children}
      </SortableContext>
    </DndContext>
  );
}

/** A row of such a list, with the handle it is taken by. by: moves it by one place up (−1) or down (1). */
export function SortableRow({
  id,
  label,
  by,
  className = "",
  children,
}: {
  id: string;
  label: string;
  by: (places: number) => void;
  className?: string;
  children: ReactNode;
}) {
  const { attributes, listeners, setNodeRef, setActivatorNodeRef, transform, transition, isDragging } = useSortable({
    id,
  });
  return (
    <li
      ref={setNodeRef}
      style={{ transform: transform ? `translateY(${transform.y}px)` : undefined, transition }}
      className={`${className} ${isDragging ? "relative z-10 bg-wash shadow" : ""}`}
    >
      <button
        type="button"
        ref={setActivatorNodeRef}
        {...attributes}
        {...listeners}
        data-passing
        aria-label={`Move ${label}`}
        title="Drag, or Alt and ↑ ↓"
        onKeyDown={(event) => {
          const places = event.key === "ArrowUp" ? -1 : event.key === "ArrowDown" ? 1 : 0;
          if (event.altKey && places) {
            event.preventDefault();
            by(places);
          } else listeners?.onKeyDown?.(event);
        }}
        className="cursor-grab touch-none rounded px-0.5 text-soft hover:text-ink"
      >
        <DotsSixVertical size={16} aria-hidden />
      </button>
      {children}
    </li>
  );
}
