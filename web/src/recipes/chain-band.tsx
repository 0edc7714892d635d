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
  useSortable,
} from '@dnd-kit/sortable';
import { CSS } from '@dnd-kit/utilities';
import { STEP_KINDS, STEP_OPS, type Step, type StepKind } from '@uniferum/core/recipes';
import type { FieldError } from '@uniferum/core/shared';
import { GripVertical, Plus } from 'lucide-react';
import { DropdownMenu } from 'radix-ui';
import type { Dispatch, ReactNode } from 'react';
import { Button } from '../ui/button.js';
import { classNames } from '../ui/class-names.js';
import { describeLadder, describeOutput, describeStep } from './describe.js';
import { type Draft, type DraftAction, type DraftStep, faultsOfStep, toRecipe } from './draft.js';

/** The chain from left to right: what it applies to, each step, and what comes out. Steps are put in order by dragging. */
export function ChainBand({
  draft,
  faults,
  dispatch,
}: {
  draft: Draft;
  faults: readonly FieldError[];
  dispatch: Dispatch<DraftAction>;
}) {
  const sensors = useSensors(
    useSensor(PointerSensor, { activationConstraint: { distance: 4 } }),
    useSensor(KeyboardSensor, { coordinateGetter: sortableKeyboardCoordinates }),
  );
  const drop = ({ active, over }: DragEndEvent) => {
    const to = draft.steps.findIndex(({ id }) => id === over?.id);
    if (over && active.id !== over.id && to >= 0) dispatch({ do: 'move', id: String(active.id), to });
  };
  const { output, ladder } = toRecipe(draft);
  const open = (card: string) => dispatch({ do: 'open', card });
  return (
    <div
      className="flex items-stretch overflow-x-auto px-6 py-3"
      role="group"
      aria-label="The chain of steps"
    >
      <Card isOpen={draft.open === 'applies'} onOpen={() => open('applies')} eyebrow="Takes">
        {draft.kinds.join(', ')}
        <br />
        {draft.folders.length === 0 ? 'in every folder' : `in ${draft.folders.join(', ')}`}
      </Card>
      <Joint />
      <DndContext
        sensors={sensors}
        collisionDetection={closestCenter}
        onDragEnd={drop}
        accessibility={{ announcements: announcementsOf(draft) }}
      >
        <SortableContext items={draft.steps.map(({ id }) => id)} strategy={horizontalListSortingStrategy}>
          {draft.steps.map((step, index) => (
            <StepCard
              key={step.id}
              step={step}
              index={index}
              isOpen={draft.open === step.id}
              isFaulty={Object.keys(faultsOfStep(faults, index)).length > 0}
              onOpen={() => open(step.id)}
            />
          ))}
        </SortableContext>
      </DndContext>
      <AddStep onAdd={(op) => dispatch({ do: 'add', op })} />
      <Joint />
      <Card
        isOpen={draft.open === 'output'}
        isFaulty={faults.some(({ field }) => field.startsWith('output') || field.startsWith('ladder'))}
        onOpen={() => open('output')}
        eyebrow="Gives"
      >
        {describeOutput(output)}
        {ladder && (
          <>
            <br />
            {describeLadder(ladder)}
          </>
        )}
      </Card>
    </div>
  );
}

/** What is said to who doesn't see the cards move. */
function announcementsOf({ steps }: Draft): Announcements {
  const place = (id: unknown) => steps.findIndex((step) => step.id === id) + 1;
  return {
    onDragStart: ({ active }) => `Step ${place(active.id)} is picked up.`,
    onDragOver: ({ over }) =>
      over ? `It is at place ${place(over.id)} of ${steps.length}.` : 'It is outside of the chain.',
    onDragEnd: ({ over }) => (over ? `It was put at place ${place(over.id)}.` : 'It stays where it was.'),
    onDragCancel: () => 'It stays where it was.',
  };
}

function StepCard({
  step: { id, step },
  index,
  isOpen,
  isFaulty,
  onOpen,
}: {
  step: DraftStep;
  index: number;
  isOpen: boolean;
  isFaulty: boolean;
  onOpen: () => void;
}) {
  const { attributes, listeners, setNodeRef, setActivatorNodeRef, transform, transition, isDragging } =
    useSortable({ id });
  return (
    <div
      ref={setNodeRef}
      style={{ transform: CSS.Translate.toString(transform), transition: transition ?? '' }}
      className={classNames('flex shrink-0', isDragging && 'z-10 opacity-80')}
    >
      <Card
        isOpen={isOpen}
        isFaulty={isFaulty}
        onOpen={onOpen}
        eyebrow={`${index + 1}. ${STEP_KINDS[step.op].title}`}
        handle={
          <button
            type="button"
            ref={setActivatorNodeRef}
            aria-label={`Put step ${index + 1} in another place`}
            className="absolute top-0.5 right-0 inline-flex size-6 cursor-grab items-center justify-center text-soft hover:text-ink"
            {...attributes}
            {...listeners}
          >
            <GripVertical className="size-4" aria-hidden="true" />
          </button>
        }
      >
        {isFaulty ? 'can’t be carried out' : describeStep(step as unknown as Step)}
      </Card>
      <Joint />
    </div>
  );
}

function Card({
  eyebrow,
  isOpen,
  isFaulty = false,
  onOpen,
  handle,
  children,
}: {
  eyebrow: string;
  isOpen: boolean;
  isFaulty?: boolean;
  onOpen: () => void;
  handle?: ReactNode;
  children: ReactNode;
}) {
  return (
    <div
      className={classNames(
        'relative w-40 shrink-0 border bg-raised',
        isOpen ? 'border-oxide' : 'border-rule-strong',
        isFaulty && 'border-fault',
      )}
    >
      {isOpen && <span aria-hidden="true" className="absolute inset-x-0 -bottom-px h-0.5 bg-oxide" />}
      <button
        type="button"
        aria-pressed={isOpen}
        onClick={onOpen}
        className="flex h-[4.25rem] w-full flex-col items-start px-2.5 py-1.5 text-left"
      >
        <span className={classNames('text-xs font-medium', isFaulty ? 'text-fault' : 'text-ink')}>
          {eyebrow}
        </span>
        <span className="line-clamp-2 pr-2 text-xs break-words text-soft">{children}</span>
      </button>
      {handle}
    </div>
  );
}

function Joint() {
  return <span aria-hidden="true" className="mt-8 h-px w-5 shrink-0 bg-rule-strong" />;
}

const GROUPS: Record<StepKind['group'], string> = {
  source: 'Of other files',
  shape: 'Shape',
  tone: 'Tone',
  detail: 'Detail',
  finish: 'Finish',
};

function AddStep({ onAdd }: { onAdd: (op: (typeof STEP_OPS)[number]) => void }) {
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger asChild>
        <Button className="my-auto h-8 shrink-0" look="quiet">
          <Plus className="size-4" aria-hidden="true" /> Add a step
        </Button>
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content
          align="end"
          sideOffset={6}
          collisionPadding={12}
          className="z-[60] grid grid-cols-[repeat(3,11rem)] gap-x-4 border border-rule-strong bg-raised p-3"
        >
          {(['shape', 'tone', 'finish', 'detail', 'source'] as const).map((group) => (
            <DropdownMenu.Group
              key={group}
              className={group === 'detail' || group === 'source' ? 'mt-2' : ''}
            >
              <DropdownMenu.Label className="eyebrow px-2">{GROUPS[group]}</DropdownMenu.Label>
              {STEP_OPS.filter((op) => STEP_KINDS[op].group === group).map((op) => (
                <DropdownMenu.Item
                  key={op}
                  onSelect={() => onAdd(op)}
                  className="cursor-default px-2 py-1 text-sm data-[highlighted]:bg-oxide-wash data-[highlighted]:outline-none"
                >
                  {STEP_KINDS[op].title}
                </DropdownMenu.Item>
              ))}
            </DropdownMenu.Group>
          ))}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}
