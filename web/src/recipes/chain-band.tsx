import { useSortable } from '@dnd-kit/sortable';
import { CSS } from '@dnd-kit/utilities';
import { STEP_KINDS, type Step } from '@uniferum/core/recipes';
import type { FieldError } from '@uniferum/core/shared';
import { GripVertical } from 'lucide-react';
import type { Dispatch } from 'react';
import { classNames } from '../ui/class-names.js';
import { Sortable } from '../ui/sortable.js';
import { AddStep } from './add-step.js';
import { ChainCard } from './chain-card.js';
import { describeLadder, describeOutput, describeStep } from './describe.js';
import { type Draft, type DraftAction, type DraftStep, faultsOfStep, toRecipe } from './draft.js';

interface ChainBandProps {
  draft: Draft;
  faults: readonly FieldError[];
  dispatch: Dispatch<DraftAction>;
}

/** The chain from left to right: its input, each step, and its output. Steps are reordered by dragging. */
export function ChainBand({ draft, faults, dispatch }: ChainBandProps) {
  const { output, ladder } = toRecipe(draft);
  const open = (card: string) => dispatch({ do: 'open', card });
  return (
    <div
      className="flex shrink-0 items-stretch overflow-x-auto px-6 py-3"
      role="group"
      aria-label="The chain of steps"
    >
      <ChainCard isOpen={draft.open === 'applies'} onOpen={() => open('applies')} eyebrow="Input">
        {draft.kinds.join(', ')}
        <br />
        {draft.folders.length === 0 ? 'in every folder' : `in ${draft.folders.join(', ')}`}
      </ChainCard>
      <Joint />
      <SortableSteps draft={draft} faults={faults} dispatch={dispatch} />
      <AddStep onAdd={(op) => dispatch({ do: 'add', op })} />
      <Joint />
      <ChainCard
        isOpen={draft.open === 'output'}
        isFaulty={faults.some(({ field }) => field.startsWith('output') || field.startsWith('ladder'))}
        onOpen={() => open('output')}
        eyebrow="Output"
      >
        {describeOutput(output)}
        {ladder && (
          <>
            <br />
            {describeLadder(ladder)}
          </>
        )}
      </ChainCard>
    </div>
  );
}

function SortableSteps({ draft, faults, dispatch }: ChainBandProps) {
  const { steps } = draft;
  return (
    <Sortable
      ids={steps.map(({ id }) => id)}
      direction="horizontal"
      nameOf={(id) => `Step ${steps.findIndex((step) => step.id === id) + 1}`}
      onMove={(id, to) => dispatch({ do: 'move', id, to })}
    >
      {steps.map((step, index) => (
        <StepCard
          key={step.id}
          step={step}
          index={index}
          isOpen={draft.open === step.id}
          isFaulty={Object.keys(faultsOfStep(faults, index)).length > 0}
          onOpen={() => dispatch({ do: 'open', card: step.id })}
        />
      ))}
    </Sortable>
  );
}

interface StepCardProps {
  step: DraftStep;
  index: number;
  isOpen: boolean;
  isFaulty: boolean;
  onOpen: () => void;
}

function StepCard({ step: { id, step }, index, isOpen, isFaulty, onOpen }: StepCardProps) {
  const sortable = useSortable({ id });
  const { setNodeRef, transform, transition, isDragging } = sortable;
  return (
    <div
      ref={setNodeRef}
      style={{ transform: CSS.Translate.toString(transform), transition: transition ?? '' }}
      className={classNames('flex shrink-0', isDragging && 'z-10 opacity-80')}
    >
      <ChainCard
        isOpen={isOpen}
        isFaulty={isFaulty}
        onOpen={onOpen}
        eyebrow={`${index + 1}. ${STEP_KINDS[step.op].title}`}
        handle={<Handle index={index} sortable={sortable} />}
      >
        {isFaulty ? "can't be carried out" : describeStep(step as unknown as Step)}
      </ChainCard>
      <Joint />
    </div>
  );
}

interface HandleProps {
  index: number;
  sortable: ReturnType<typeof useSortable>;
}

function Handle({ index, sortable }: HandleProps) {
  return (
    <button
      type="button"
      ref={sortable.setActivatorNodeRef}
      aria-label={`Move step ${index + 1}`}
      className="absolute top-0.5 right-0 inline-flex size-6 cursor-grab items-center justify-center text-soft hover:text-ink"
      {...sortable.attributes}
      {...sortable.listeners}
    >
      <GripVertical className="size-4" aria-hidden="true" />
    </button>
  );
}

function Joint() {
  return <span aria-hidden="true" className="mt-8 h-px w-5 shrink-0 bg-rule-strong" />;
}
