import type { AssetSelection } from '@uniferum/client';
import { formatCount } from '@uniferum/core/intake';
import { PATTERN_WORDS } from '@uniferum/core/library';
import { useState } from 'react';
import { Button } from '../ui/button.js';
import { Dialog } from '../ui/dialog.js';
import { Field, Input, Select } from '../ui/field.js';
import { FormFoot } from '../ui/form-foot.js';
import {
  BULK_FIELDS,
  type BulkField,
  type BulkForm,
  bulkCode,
  EMPTY_BULK_FORM,
  toChange,
  WAYS,
  type Way,
} from './bulk-form.js';
import { BulkPlanTable } from './bulk-plan-table.js';
import { FolderPicker } from './folder-picker.js';
import { useBulkChanges } from './hooks.js';

interface BulkDialogProps {
  selection: AssetSelection;
  /** The number of selected assets. */
  count: number;
  isOpen: boolean;
  onOpenChange: (isOpen: boolean) => void;
  onDone: () => void;
}

/** Edits all selected assets: rehearsed first, then applied as a run that can be undone. */
export function BulkDialog({ selection, count, isOpen, onOpenChange, onDone }: BulkDialogProps) {
  const [form, setForm] = useState(EMPTY_BULK_FORM);
  const { rehearse, edit } = useBulkChanges();
  const request = { select: selection, change: toChange(form) };
  const apply = () =>
    edit.mutate(request, {
      onSuccess: () => {
        onOpenChange(false);
        onDone();
      },
    });
  // The rehearsal no longer matches the form.
  const change = (part: Partial<BulkForm>) => {
    rehearse.reset();
    setForm({ ...form, ...part });
  };
  const plan = rehearse.data?.plan;
  const changes = plan ? plan.totals.changed - plan.totals.blocked : 0;
  const isEmpty = Object.keys(request.change).length === 0;
  return (
    <Dialog
      isOpen={isOpen}
      onOpenChange={onOpenChange}
      title={`Edit ${formatCount(count, 'asset')}`}
      unsaved={form === EMPTY_BULK_FORM ? null : 'The changes you entered have not been applied.'}
      description="Rehearse shows what would change. Applying starts a run, which you can undo."
      className="w-[54rem]"
    >
      <div className="flex flex-col gap-4">
        <BulkLines lines={form.lines} onChange={(lines) => change({ lines })} />
        <PatternHelp />
        <PlaceFields form={form} onChange={change} />
        {plan && <BulkPlanTable plan={plan} />}
        <FormFoot error={rehearse.error ?? edit.error} code={bulkCode(selection, form)}>
          <Button
            look={plan ? 'plain' : 'main'}
            disabled={isEmpty || rehearse.isPending}
            onClick={() => rehearse.mutate(request)}
          >
            {rehearse.isPending ? 'Rehearsing …' : 'Rehearse'}
          </Button>
          <Button
            look={plan ? 'main' : 'plain'}
            disabled={isEmpty || edit.isPending || (plan !== undefined && changes === 0)}
            onClick={apply}
          >
            {plan ? `Apply ${formatCount(changes, 'change')}` : 'Apply'}
          </Button>
        </FormFoot>
      </div>
    </Dialog>
  );
}

interface BulkLinesProps {
  lines: BulkForm['lines'];
  onChange: (lines: BulkForm['lines']) => void;
}

function BulkLines({ lines, onChange }: BulkLinesProps) {
  return (
    <div className="border-t border-rule">
      {BULK_FIELDS.map(([name, words]) => (
        <BulkLine
          key={name}
          words={words}
          line={lines[name]}
          onChange={(part) => onChange({ ...lines, [name]: { ...lines[name], ...part } })}
        />
      ))}
    </div>
  );
}

interface BulkLineProps {
  words: string;
  line: BulkField;
  onChange: (part: Partial<BulkField>) => void;
}

function BulkLine({ words, line, onChange }: BulkLineProps) {
  return (
    <div className="grid grid-cols-[9rem_12rem_minmax(0,1fr)] items-center gap-4 border-b border-rule py-1.5">
      <span className="text-sm font-medium">{words}</span>
      <Select
        aria-label={`Change: ${words}`}
        value={line.way}
        onChange={(event) => onChange({ way: event.target.value as Way })}
      >
        {WAYS.map(([way, said]) => (
          <option key={way} value={way}>
            {said}
          </option>
        ))}
      </Select>
      {line.way === 'leave' ? <span /> : <LineInputs words={words} line={line} onChange={onChange} />}
    </div>
  );
}

const VALUE_HINTS: Partial<Record<Way, string>> = { fill: '{words}', set: 'empty clears it' };

function LineInputs({ words, line, onChange }: BulkLineProps) {
  return (
    <span className="flex items-center gap-2">
      {line.way === 'replace' && (
        <>
          <Input
            aria-label={`${words}: find`}
            value={line.find}
            onChange={(event) => onChange({ find: event.target.value })}
          />
          <span className="text-sm text-soft">by</span>
        </>
      )}
      <Input
        aria-label={`${words}: value`}
        placeholder={VALUE_HINTS[line.way] ?? ''}
        value={line.value}
        onChange={(event) => onChange({ value: event.target.value })}
      />
    </span>
  );
}

function PatternHelp() {
  return (
    <p className="text-xs text-soft">
      Values that fill empty fields can contain{' '}
      {Object.entries(PATTERN_WORDS).map(([word, meaning], index) => (
        <span key={word}>
          {index > 0 && ', '}
          <code className="font-mono">{`{${word}}`}</code> {meaning}
        </span>
      ))}
      .
    </p>
  );
}

interface PlaceFieldsProps {
  form: BulkForm;
  onChange: (part: Partial<BulkForm>) => void;
}

function PlaceFields({ form, onChange }: PlaceFieldsProps) {
  return (
    <div className="grid grid-cols-2 gap-6">
      <Field
        label="Shift capture dates, minutes"
        hint="For a camera set to the wrong time zone: -60 shifts one hour earlier."
      >
        {(props) => (
          <Input
            inputMode="numeric"
            className="w-28 text-right"
            value={form.shift}
            onChange={(event) => onChange({ shift: event.target.value })}
            {...props}
          />
        )}
      </Field>
      <Field label="Move to folder" hint="Old addresses redirect to the new ones.">
        {(props) => (
          <FolderPicker
            value={form.folder}
            none="don't move"
            onChange={(folder) => onChange({ folder })}
            {...props}
          />
        )}
      </Field>
    </div>
  );
}
