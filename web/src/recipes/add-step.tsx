import { STEP_KINDS, STEP_OPS, type StepKind } from '@uniferum/core/recipes';
import { Plus } from 'lucide-react';
import { DropdownMenu } from 'radix-ui';
import { Button } from '../ui/button.js';

type StepOp = (typeof STEP_OPS)[number];

const GROUPS: Record<StepKind['group'], string> = {
  source: 'Of other files',
  shape: 'Shape',
  tone: 'Tone',
  detail: 'Detail',
  finish: 'Finish',
};

/** The menu of steps, grouped by purpose. */
export function AddStep({ onAdd }: { onAdd: (op: StepOp) => void }) {
  return (
    <DropdownMenu.Root modal={false}>
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
          className="z-[60] grid max-h-[var(--radix-dropdown-menu-content-available-height)] max-w-[calc(100vw-1.5rem)] grid-cols-[repeat(auto-fill,11rem)] gap-x-4 overflow-y-auto border border-rule-strong bg-raised p-3 sm:w-[36.5rem]"
        >
          {(['shape', 'tone', 'finish', 'detail', 'source'] as const).map((group) => (
            <StepGroup key={group} group={group} onAdd={onAdd} />
          ))}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}

interface StepGroupProps {
  group: StepKind['group'];
  onAdd: (op: StepOp) => void;
}

function StepGroup({ group, onAdd }: StepGroupProps) {
  return (
    <DropdownMenu.Group className={group === 'detail' || group === 'source' ? 'mt-2' : ''}>
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
  );
}
