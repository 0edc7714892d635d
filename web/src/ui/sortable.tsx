import {
  type Announcements,
  closestCenter,
  DndContext,
  type DragEndEvent,
  KeyboardSensor,
  PointerSensor,
  useSensor,
  useSensors,
} from '@dnd-kit/core';
import {
  horizontalListSortingStrategy,
  SortableContext,
  sortableKeyboardCoordinates,
  verticalListSortingStrategy,
} from '@dnd-kit/sortable';
import type { ReactNode } from 'react';

interface SortableProps {
  /** What is sorted, in its order. The children use `useSortable` with these ids. */
  ids: readonly string[];
  direction: 'vertical' | 'horizontal';
  /** What an item is called when it is picked up: `Step 2`, `dusk.jpg`. */
  nameOf: (id: string) => string;
  /** An item goes to another position, counted from 0. */
  onMove: (id: string, to: number) => void;
  children: ReactNode;
}

/** A list whose order is changed by dragging or by keyboard. */
export function Sortable({ ids, direction, nameOf, onMove, children }: SortableProps) {
  const sensors = useSensors(
    useSensor(PointerSensor, { activationConstraint: { distance: 4 } }),
    useSensor(KeyboardSensor, { coordinateGetter: sortableKeyboardCoordinates }),
  );
  const drop = ({ active, over }: DragEndEvent) => {
    const to = ids.indexOf(String(over?.id));
    if (over && active.id !== over.id && to >= 0) onMove(String(active.id), to);
  };
  const strategy = direction === 'vertical' ? verticalListSortingStrategy : horizontalListSortingStrategy;
  return (
    <DndContext
      sensors={sensors}
      collisionDetection={closestCenter}
      onDragEnd={drop}
      accessibility={{ announcements: announcementsOf(ids, nameOf) }}
    >
      <SortableContext items={[...ids]} strategy={strategy}>
        {children}
      </SortableContext>
    </DndContext>
  );
}

/** Announcements for screen readers while items are moved. */
function announcementsOf(ids: readonly string[], nameOf: SortableProps['nameOf']): Announcements {
  const place = (id: string | number) => ids.indexOf(String(id)) + 1;
  return {
    onDragStart: ({ active }) => `${nameOf(String(active.id))} picked up.`,
    onDragOver: ({ over }) => (over ? `Position ${place(over.id)} of ${ids.length}.` : 'Outside the list.'),
    onDragEnd: ({ over }) => (over ? `Moved to position ${place(over.id)}.` : 'Not moved.'),
    onDragCancel: () => 'Not moved.',
  };
}
