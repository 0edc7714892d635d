import {
  type Announcements,
  DndContext,
  type DragEndEvent,
  type DragOverEvent,
  DragOverlay,
  PointerSensor,
  pointerWithin,
  useDraggable,
  useDroppable,
  useSensor,
  useSensors,
} from '@dnd-kit/core';
import { formatCount } from '@uniferum/core/intake';
import { X } from 'lucide-react';
import { type ReactNode, useState } from 'react';
import { IconButton } from '../ui/button.js';
import { classNames } from '../ui/class-names.js';
import { ErrorNotice } from '../ui/notice.js';
import { useBulkChanges, useLibraryChanges } from './hooks.js';
import { useSelection } from './selection.js';

/** The dragged item: an asset (with the whole selection, if it is part of it) or a folder. */
type Dragged = { kind: 'asset'; id: string; name: string } | { kind: 'folder'; id: string; path: string };

const pathOf = (over: DragOverEvent['over']) => over?.data.current?.path as string | undefined;

/** Announcements for screen readers; the default ones name items by their ids. */
const ANNOUNCED: Announcements = {
  onDragStart: ({ active }) => {
    const thing = active.data.current as Dragged | undefined;
    return thing && `Dragging ${thing.kind === 'folder' ? thing.path : thing.name}.`;
  },
  onDragOver: ({ over }) => (over ? `Over ${pathOf(over)}.` : 'Not over a folder.'),
  onDragEnd: ({ over }) => (over ? `Dropped on ${pathOf(over)}.` : 'Not moved.'),
  onDragCancel: () => 'Not moved.',
};

/** Lets assets and folders be dragged onto folders. A press without movement stays a click. */
export function DragArea({ children }: { children: ReactNode }) {
  const sensors = useSensors(useSensor(PointerSensor, { activationConstraint: { distance: 8 } }));
  const [dragged, setDragged] = useState<Dragged | null>(null);
  const { changeAsset, changeFolder } = useLibraryChanges();
  const { edit } = useBulkChanges();
  const { ids, clear } = useSelection();
  const count = dragged?.kind === 'asset' && ids.has(dragged.id) ? ids.size : 1;
  const drop = ({ active, over }: DragEndEvent) => {
    setDragged(null);
    const target = pathOf(over);
    const thing = active.data.current as Dragged | undefined;
    if (!target || !thing) return;
    if (thing.kind === 'folder') {
      if (target !== thing.path && !target.startsWith(`${thing.path}/`))
        changeFolder.mutate({ id: thing.id, patch: { parent: target } });
    } else if (ids.has(thing.id) && ids.size > 1) {
      edit.mutate({ select: { ids: [...ids] }, change: { folder: target } }, { onSuccess: clear });
    } else changeAsset.mutate({ id: thing.id, patch: { folder: target } });
  };
  return (
    <DndContext
      sensors={sensors}
      accessibility={{ announcements: ANNOUNCED }}
      // The folder under the pointer is the target, not one that a large picture happens to overlap.
      collisionDetection={pointerWithin}
      onDragStart={({ active }) => setDragged((active.data.current as Dragged | undefined) ?? null)}
      onDragCancel={() => setDragged(null)}
      onDragEnd={drop}
    >
      {children}
      <DropFailure
        error={changeAsset.error ?? changeFolder.error ?? edit.error}
        onClose={() => {
          changeAsset.reset();
          changeFolder.reset();
          edit.reset();
        }}
      />
      <DragOverlay dropAnimation={null}>
        {dragged && (
          <span className="inline-block border border-oxide bg-raised px-3 py-1 text-sm font-medium whitespace-nowrap">
            {dragged.kind === 'folder'
              ? dragged.path
              : count > 1
                ? formatCount(count, 'asset')
                : dragged.name}
          </span>
        )}
      </DragOverlay>
    </DndContext>
  );
}

interface DropFailureProps {
  error: unknown;
  onClose: () => void;
}

/** Why something was not moved to where it was dropped. */
function DropFailure({ error, onClose }: DropFailureProps) {
  if (!error) return null;
  return (
    <div className="fixed bottom-12 left-6 z-30 flex max-w-[40rem] items-start gap-2 border border-fault bg-raised">
      <ErrorNotice error={error} />
      <IconButton name="Close" onClick={onClose}>
        <X className="size-4" />
      </IconButton>
    </div>
  );
}

/** An item that can be dragged onto a folder. Keyboard users move it with the edit dialog instead. */
export function Draggable({ thing, children }: { thing: Dragged; children: ReactNode }) {
  const { setNodeRef, listeners, isDragging } = useDraggable({
    id: `${thing.kind}:${thing.id}`,
    data: thing,
  });
  return (
    <div ref={setNodeRef} {...listeners} className={classNames('touch-none', isDragging && 'opacity-50')}>
      {children}
    </div>
  );
}

interface DropFolderProps {
  path: string;
  children: ReactNode;
  className?: string;
}

/** A folder onto which items can be dropped. */
export function DropFolder({ path, children, className }: DropFolderProps) {
  const { setNodeRef, isOver } = useDroppable({ id: `into:${path}`, data: { path } });
  return (
    <div
      ref={setNodeRef}
      className={classNames(className, isOver && 'bg-oxide-wash outline-2 outline-oxide')}
    >
      {children}
    </div>
  );
}
