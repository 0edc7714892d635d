import type { Ladder } from '@uniferum/core/recipes';
import { type Dispatch, useState } from 'react';
import { Field, Input, Select } from '../ui/field.js';
import type { DraftAction } from './draft.js';
import { NumberInput } from './number-input.js';

type ComputedLadder = Exclude<Ladder, { widths: number[] }>;

interface LadderSettingsProps {
  ladder: Ladder | undefined;
  error: string | undefined;
  dispatch: Dispatch<DraftAction>;
}

/** Additional widths of the same recipe: one, fixed ones, or steps of about equal bytes. */
export function LadderSettings({ ladder, error, dispatch }: LadderSettingsProps) {
  const given = ladder && 'widths' in ladder;
  const [widths, setWidths] = useState(given ? ladder.widths.join(', ') : '1600, 1000, 500');
  const set = (next: Ladder | undefined) =>
    dispatch(next ? { do: 'set', values: { ladder: next } } : { do: 'unset', key: 'ladder' });
  const choose = (value: string) => {
    if (value === 'none') set(undefined);
    else set(value === 'given' ? { widths: readWidths(widths) } : { from: 320, stepBytes: 20_000, most: 8 });
  };
  const typeWidths = (text: string) => {
    setWidths(text);
    set({ widths: readWidths(text) });
  };
  return (
    <>
      <Field label="Widths" className="w-36">
        {(props) => (
          <Select
            {...props}
            value={!ladder ? 'none' : given ? 'given' : 'computed'}
            onChange={(event) => choose(event.target.value)}
          >
            <option value="none">one</option>
            <option value="given">given ones</option>
            <option value="computed">equal size steps</option>
          </Select>
        )}
      </Field>
      {given && <GivenWidths text={widths} error={error} onType={typeWidths} />}
      {ladder && !('widths' in ladder) && <ComputedWidths ladder={ladder} error={error} onChange={set} />}
    </>
  );
}

interface GivenWidthsProps {
  text: string;
  error: string | undefined;
  onType: (text: string) => void;
}

function GivenWidths({ text, error, onType }: GivenWidthsProps) {
  return (
    <Field label="Widths, px" className="w-44" error={error}>
      {(props) => (
        <Input
          {...props}
          className="font-mono"
          value={text}
          onChange={(event) => onType(event.target.value)}
        />
      )}
    </Field>
  );
}

interface ComputedWidthsProps {
  ladder: ComputedLadder;
  error: string | undefined;
  onChange: (ladder: ComputedLadder) => void;
}

function ComputedWidths({ ladder, error, onChange }: ComputedWidthsProps) {
  return (
    <>
      <Field label="From, px" className="w-20" error={error}>
        {(props) => (
          <NumberInput
            {...props}
            value={ladder.from}
            onValueChange={(from) => onChange({ ...ladder, from: Number(from ?? 0) })}
          />
        )}
      </Field>
      <Field label="Steps of, kB" className="w-24">
        {(props) => (
          <NumberInput
            {...props}
            value={(ladder.stepBytes ?? 20_000) / 1000}
            onValueChange={(kilobytes) =>
              onChange({ ...ladder, stepBytes: Math.round(Number(kilobytes ?? 0) * 1000) })
            }
          />
        )}
      </Field>
    </>
  );
}

function readWidths(text: string): number[] {
  return text
    .split(/[\s,]+/)
    .filter((one) => one !== '')
    .map(Number);
}
