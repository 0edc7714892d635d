import { STEP_KINDS } from '@uniferum/core/recipes';
import { ArrowLeft, ArrowRight, Trash2 } from 'lucide-react';
import type { Dispatch } from 'react';
import { IconButton } from '../ui/button.js';
import type { DraftAction, DraftStep } from './draft.js';
import { StepSetting } from './step-setting.js';

interface StepSettingsProps {
  step: DraftStep;
  index: number;
  count: number;
  faults: Record<string, string>;
  dispatch: Dispatch<DraftAction>;
}

/** The settings of the open step, in one row. */
export function StepSettings({ step: { id, step }, index, count, faults, dispatch }: StepSettingsProps) {
  const kind = STEP_KINDS[step.op];
  const change = (name: string, value: unknown) => dispatch({ do: 'change', id, name, value });
  return (
    <div className="flex items-start gap-6">
      <div className="w-40 shrink-0">
        <h3 className="font-semibold">
          {index + 1}. {kind.title}
        </h3>
        <p className="text-xs text-soft">{kind.says}</p>
        {faults.op && <p className="text-xs text-fault">{faults.op}</p>}
      </div>
      <div className="flex flex-1 flex-wrap items-start gap-x-4 gap-y-2">
        {Object.entries(kind.fields)
          .filter(([name]) => isUseful(step, name))
          .map(([name, field]) => (
            <StepSetting
              key={`${id} ${name}`}
              field={field}
              value={step[name]}
              error={faults[name]}
              onChange={(value) => change(name, value)}
            />
          ))}
      </div>
      <StepActions id={id} index={index} count={count} dispatch={dispatch} />
    </div>
  );
}

type StepActionsProps = { id: string } & Pick<StepSettingsProps, 'index' | 'count' | 'dispatch'>;

function StepActions({ id, index, count, dispatch }: StepActionsProps) {
  return (
    <div className="flex shrink-0">
      <IconButton
        name="Move the step to the left"
        disabled={index === 0}
        onClick={() => dispatch({ do: 'move', id, to: index - 1 })}
      >
        <ArrowLeft className="size-4" />
      </IconButton>
      <IconButton
        name="Move the step to the right"
        disabled={index === count - 1}
        onClick={() => dispatch({ do: 'move', id, to: index + 1 })}
      >
        <ArrowRight className="size-4" />
      </IconButton>
      <IconButton name="Remove the step" onClick={() => dispatch({ do: 'remove', id })}>
        <Trash2 className="size-4" />
      </IconButton>
    </div>
  );
}

/** When a setting is relevant given the others; those not listed always are. */
const USEFUL: Record<string, Record<string, (step: DraftStep['step']) => boolean>> = {
  fit: {
    around: ({ mode }) => mode === 'cover',
    background: ({ mode }) => mode === 'contain',
  },
  crop: {
    aspect: ({ width, height }) => width === undefined && height === undefined,
    width: ({ aspect }) => aspect === undefined,
    height: ({ aspect }) => aspect === undefined,
    left: ({ width }) => width !== undefined,
    top: ({ width }) => width !== undefined,
    unit: ({ width }) => width !== undefined,
    around: ({ left }) => left === undefined,
  },
  watermark: {
    words: ({ picture }) => picture === undefined,
    picture: ({ words }) => words === undefined,
    colour: ({ words }) => words !== undefined,
  },
};

function isUseful(step: DraftStep['step'], name: string): boolean {
  return USEFUL[step.op]?.[name]?.(step) ?? true;
}
