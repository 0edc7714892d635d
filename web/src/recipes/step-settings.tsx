import { STEP_KINDS, type StepField } from '@uniferum/core/recipes';
import { ArrowLeft, ArrowRight, Trash2 } from 'lucide-react';
import type { Dispatch } from 'react';
import { IconButton } from '../ui/button.js';
import { Checkbox, Field, Input, Select } from '../ui/field.js';
import type { DraftAction, DraftStep } from './draft.js';
import { NumberInput } from './number-input.js';

interface StepSettingsProps {
  step: DraftStep;
  index: number;
  count: number;
  faults: Record<string, string>;
  dispatch: Dispatch<DraftAction>;
}

/** The settings of the step that is open, in one row. */
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
            <Setting
              key={`${id} ${name}`}
              field={field}
              value={step[name]}
              error={faults[name]}
              onChange={(value) => change(name, value)}
            />
          ))}
      </div>
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
    </div>
  );
}

/** When a setting means something beside the others; those that are not here always do. */
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

interface SettingProps {
  field: StepField;
  value: unknown;
  error: string | undefined;
  onChange: (value: unknown) => void;
}

function Setting({ field, value, error, onChange }: SettingProps) {
  if (field.kind === 'flag')
    return (
      <Checkbox
        className="mt-6 h-8"
        label={field.label}
        checked={value === true}
        onChange={(event) => onChange(event.target.checked || undefined)}
      />
    );
  const label = 'unit' in field && field.unit ? `${field.label}, ${field.unit}` : field.label;
  return (
    <Field label={label} error={error} className={WIDTHS[field.kind]}>
      {(props) => {
        switch (field.kind) {
          case 'integer':
          case 'number':
            return (
              <NumberInput
                {...props}
                placeholder={field.default === undefined ? '' : String(field.default)}
                value={value}
                onValueChange={onChange}
              />
            );
          case 'choice':
            return (
              <Select
                {...props}
                value={String(value ?? field.default ?? '')}
                onChange={(event) => onChange(event.target.value)}
              >
                {field.options.map((option) => (
                  <option key={option} value={option}>
                    {WORDS[option] ?? option.replaceAll('-', ' ')}
                  </option>
                ))}
              </Select>
            );
          case 'colour':
            return <ColourInput {...props} value={value} fallback={field.default} onChange={onChange} />;
          default:
            return (
              <Input
                {...props}
                className="font-mono"
                placeholder={PLACEHOLDERS[field.kind] ?? ''}
                value={String(value ?? '')}
                onChange={(event) => onChange(event.target.value === '' ? undefined : event.target.value)}
              />
            );
        }
      }}
    </Field>
  );
}

interface ColourInputProps {
  id: string;
  value: unknown;
  fallback: string | undefined;
  onChange: (value: unknown) => void;
}

/** A colour by its figures, and by the platform's own chooser. */
function ColourInput({ value, fallback, onChange, ...props }: ColourInputProps) {
  const text = String(value ?? '');
  const shown = /^#[0-9a-f]{6}/i.test(text) ? text.slice(0, 7) : '#ffffff';
  return (
    <span className="flex">
      <input
        type="color"
        aria-label="Choose a colour"
        className="h-8 w-9 shrink-0 rounded-l-[3px] border border-r-0 border-rule-strong bg-raised p-1"
        value={shown}
        onChange={(event) => onChange(event.target.value)}
      />
      <Input
        {...props}
        className="rounded-l-none font-mono"
        placeholder={fallback ?? ''}
        value={text}
        onChange={(event) => onChange(event.target.value === '' ? undefined : event.target.value)}
      />
    </span>
  );
}

const WIDTHS = {
  integer: 'w-24',
  number: 'w-24',
  choice: 'w-56',
  colour: 'w-40',
  aspect: 'w-24',
  words: 'w-64',
  picture: 'w-64',
} as const;

const PLACEHOLDERS: Record<string, string> = {
  aspect: '16:9',
  words: '© The Trust',
  picture: '/marks/seal.svg',
};

/** Choices whose words are too short by themselves. */
const WORDS: Record<string, string> = {
  inside: 'inside, nothing cut off',
  cover: 'cover, cut what hangs over',
  contain: 'contain, fill the rest',
  fill: 'fill, stretched',
  focal: 'the focal point',
  centre: 'the middle',
  interesting: 'the most interesting part',
  percent: 'percent',
  horizontal: 'left and right',
  vertical: 'top and bottom',
};
