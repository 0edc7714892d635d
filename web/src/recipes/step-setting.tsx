import type { StepField } from '@uniferum/core/recipes';
import { Checkbox, Field, type FieldControlProps, Input, Select } from '../ui/field.js';
import { NumberInput } from './number-input.js';

interface StepSettingProps {
  field: StepField;
  value: unknown;
  error: string | undefined;
  onChange: (value: unknown) => void;
}

/** One setting of a step, by the kind of its field. */
export function StepSetting({ field, value, error, onChange }: StepSettingProps) {
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
      {(props) => <Control {...props} field={field} value={value} onChange={onChange} />}
    </Field>
  );
}

interface ControlProps extends FieldControlProps {
  field: Exclude<StepField, { kind: 'flag' }>;
  value: unknown;
  onChange: (value: unknown) => void;
}

function Control({ field, value, onChange, ...props }: ControlProps) {
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
      return <TextInput {...props} hint={PLACEHOLDERS[field.kind]} value={value} onChange={onChange} />;
  }
}

interface TextInputProps extends FieldControlProps {
  hint: string | undefined;
  value: unknown;
  onChange: (value: unknown) => void;
}

function TextInput({ hint = '', value, onChange, ...props }: TextInputProps) {
  return (
    <Input
      {...props}
      className="font-mono"
      placeholder={hint}
      value={String(value ?? '')}
      onChange={(event) => onChange(event.target.value === '' ? undefined : event.target.value)}
    />
  );
}

interface ColourInputProps extends FieldControlProps {
  value: unknown;
  fallback: string | undefined;
  onChange: (value: unknown) => void;
}

/** A colour as text, and with the browser's colour picker. */
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

/** Options whose names need more explanation. */
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
