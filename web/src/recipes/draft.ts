import {
  checkContent,
  isSourceStep,
  type PortableRecipe,
  RECIPE_NAME,
  type Recipe,
  STEP_KINDS,
  type Step,
  type StepOp,
} from '@uniferum/core/recipes';
import type { FieldError } from '@uniferum/core/shared';

/** A step of the chain being edited. Its settings may be temporarily invalid. */
export interface DraftStep {
  id: string;
  step: { op: StepOp } & Record<string, unknown>;
}

/** A recipe being edited. */
export interface Draft extends Omit<PortableRecipe, 'steps'> {
  steps: DraftStep[];
  /** The open card of the chain: `applies`, `output`, or a step's id. */
  open: string;
  nextId: number;
}

export type DraftAction =
  | { do: 'load'; recipe: PortableRecipe }
  | { do: 'set'; values: Partial<Omit<PortableRecipe, 'steps'>> }
  | { do: 'unset'; key: 'ladder' }
  | { do: 'open'; card: string }
  | { do: 'add'; op: StepOp }
  | { do: 'remove'; id: string }
  | { do: 'move'; id: string; to: number }
  | { do: 'change'; id: string; name: string; value: unknown };

/** A new recipe. */
export const NEW_RECIPE: PortableRecipe = {
  name: '',
  title: '',
  kinds: ['image'],
  folders: [],
  when: 'background',
  steps: [{ op: 'fit', mode: 'inside', width: 1000, height: 1000 }],
  output: { format: 'keep', quality: 80, metadata: 'none' },
};

/** Opens a recipe for editing, at its first step. */
export function toDraft({ steps, ...recipe }: PortableRecipe): Draft {
  const drafted = steps.map((step, index): DraftStep => ({ id: `step-${index}`, step: { ...step } }));
  return { ...recipe, steps: drafted, open: drafted[0]?.id ?? 'output', nextId: drafted.length };
}

/** Applies one edit. A source step always comes first. */
export function editDraft(draft: Draft, action: DraftAction): Draft {
  switch (action.do) {
    case 'load':
      return toDraft(action.recipe);
    case 'set':
      return { ...draft, ...action.values };
    case 'unset': {
      const { [action.key]: _gone, ...rest } = draft;
      return rest;
    }
    case 'open':
      return { ...draft, open: action.card };
    case 'add': {
      const added: DraftStep = {
        id: `step-${draft.nextId}`,
        step: { op: action.op, ...STEP_KINDS[action.op].starts },
      };
      const isSource = STEP_KINDS[action.op].group === 'source';
      const others = isSource ? draft.steps.filter(({ step }) => !isSourceStep(step as Step)) : draft.steps;
      return {
        ...draft,
        steps: isSource ? [added, ...others] : [...others, added],
        open: added.id,
        nextId: draft.nextId + 1,
      };
    }
    case 'remove': {
      const at = draft.steps.findIndex(({ id }) => id === action.id);
      const steps = draft.steps.filter(({ id }) => id !== action.id);
      return { ...draft, steps, open: (steps[at] ?? steps[at - 1])?.id ?? 'output' };
    }
    case 'move': {
      const moved = draft.steps.find(({ id }) => id === action.id);
      const others = draft.steps.filter(({ id }) => id !== action.id);
      if (!moved) return draft;
      return { ...draft, steps: [...others.slice(0, action.to), moved, ...others.slice(action.to)] };
    }
    case 'change':
      return {
        ...draft,
        steps: draft.steps.map((one) =>
          one.id === action.id ? { ...one, step: changed(one.step, action) } : one,
        ),
      };
  }
}

function changed(
  step: DraftStep['step'],
  { name, value }: { name: string; value: unknown },
): DraftStep['step'] {
  const { [name]: _before, ...rest } = step;
  return (value === undefined ? rest : { ...rest, [name]: value }) as DraftStep['step'];
}

/** The recipe as it would be saved. */
export function toRecipe({ open: _open, nextId: _nextId, steps, ...recipe }: Draft): PortableRecipe {
  return { ...recipe, steps: steps.map(({ step }) => step as unknown as Step) };
}

/** Everything that prevents a draft from being saved, with the affected field. */
export function draftFaults(draft: Draft): FieldError[] {
  const faults = checkContent(toRecipe(draft));
  if (draft.title.trim() === '')
    faults.push({ field: 'title', code: 'missing', message: 'Enter what it is used for.' });
  if (!RECIPE_NAME.test(draft.name))
    faults.push({
      field: 'name',
      code: 'value',
      message: 'Lower-case letters, digits and hyphens: it stands in addresses.',
    });
  return faults;
}

/** The errors of one step, by setting; `op` for the step itself. */
export function faultsOfStep(faults: readonly FieldError[], index: number): Record<string, string> {
  const start = `steps.${index}`;
  return Object.fromEntries(
    faults
      .filter(({ field }) => field === start || field.startsWith(`${start}.`))
      .map(({ field, message }) => [field.slice(start.length + 1) || 'op', message]),
  );
}

/** The portable part of a recipe from the server. */
export function portableOf(recipe: Recipe): PortableRecipe {
  const { name, title, kinds, folders, when, steps, output, ladder } = recipe;
  return { name, title, kinds, folders, when, steps, output, ...(ladder && { ladder }) };
}
