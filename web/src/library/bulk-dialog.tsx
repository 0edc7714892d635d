import type { AssetSelection, BulkPlan } from '@uniferum/client';
import { formatCount } from '@uniferum/core/intake';
import { type BulkChange, PATTERN_WORDS, type PlainText } from '@uniferum/core/library';
import { useState } from 'react';
import { Button } from '../ui/button.js';
import { commandLine, option } from '../ui/command-line.js';
import { Dialog } from '../ui/dialog.js';
import { Field, Input, Select } from '../ui/field.js';
import { FormFoot } from '../ui/form-foot.js';
import { formatNumber } from '../ui/format.js';
import { TEXT_WORDS } from '../ui/text-words.js';
import { FolderPicker } from './folder-picker.js';
import { useBulkChanges } from './hooks.js';

const FIELDS = (['title', 'alt', 'caption', 'credit', 'keywords'] as const).map(
  (name) => [name, TEXT_WORDS[name]] as const,
);

const WAYS = [
  ['leave', 'leave as it is'],
  ['fill', 'fill the empty ones'],
  ['set', 'set'],
  ['append', 'append'],
  ['replace', 'replace'],
] as const;

type FieldName = (typeof FIELDS)[number][0];
type Way = (typeof WAYS)[number][0];

interface Line {
  way: Way;
  value: string;
  find: string;
}

interface BulkDialogProps {
  selection: AssetSelection;
  /** How many are chosen. */
  count: number;
  isOpen: boolean;
  onOpenChange: (isOpen: boolean) => void;
  onDone: () => void;
}

const EMPTY: Record<FieldName, Line> = Object.fromEntries(
  FIELDS.map(([name]) => [name, { way: 'leave', value: '', find: '' }]),
) as Record<FieldName, Line>;

/** Edits all that is chosen: rehearsed first, then carried out as a run that can be taken back. */
export function BulkDialog({ selection, count, isOpen, onOpenChange, onDone }: BulkDialogProps) {
  const [lines, setLines] = useState(EMPTY);
  const [shift, setShift] = useState('');
  const [folder, setFolder] = useState('');
  const { rehearse, edit } = useBulkChanges();
  const change = toChange(lines, shift, folder);
  const isEmpty = Object.keys(change).length === 0;
  const set = (name: FieldName, part: Partial<Line>) => {
    rehearse.reset();
    setLines({ ...lines, [name]: { ...lines[name], ...part } });
  };
  const plan = rehearse.data?.plan;
  const carryOut = () =>
    edit.mutate(
      { select: selection, change },
      {
        onSuccess: () => {
          onOpenChange(false);
          onDone();
        },
      },
    );
  return (
    <Dialog
      isOpen={isOpen}
      onOpenChange={onOpenChange}
      title={`Edit ${formatCount(count, 'asset')}`}
      description="Rehearse shows what would change. Carried out it is a run, and its changes can be taken back."
      className="w-[54rem]"
    >
      <div className="flex flex-col gap-4">
        <div className="border-t border-rule">
          {FIELDS.map(([name, words]) => (
            <BulkLine key={name} words={words} line={lines[name]} onChange={(part) => set(name, part)} />
          ))}
        </div>
        <p className="text-xs text-soft">
          What fills empty ones may hold{' '}
          {Object.entries(PATTERN_WORDS).map(([word, meaning], index) => (
            <span key={word}>
              {index > 0 && ', '}
              <code className="font-mono">{`{${word}}`}</code> {meaning}
            </span>
          ))}
          .
        </p>
        <div className="grid grid-cols-2 gap-6">
          <Field
            label="Move capture dates, minutes"
            hint="For a camera that stood on the wrong time zone: -60 is an hour earlier."
          >
            {(props) => (
              <Input
                inputMode="numeric"
                className="w-28 text-right"
                value={shift}
                onChange={(event) => {
                  rehearse.reset();
                  setShift(event.target.value);
                }}
                {...props}
              />
            )}
          </Field>
          <Field label="Move into the folder" hint="Old addresses lead to the new ones.">
            {(props) => (
              <FolderPicker
                value={folder}
                none="stay where they are"
                onChange={(path) => {
                  rehearse.reset();
                  setFolder(path);
                }}
                {...props}
              />
            )}
          </Field>
        </div>
        {plan && <PlanTable plan={plan} />}
        <FormFoot
          error={rehearse.error ?? edit.error}
          code={bulkCode(selection, change, lines, shift, folder)}
        >
          <Button
            look={plan ? 'plain' : 'main'}
            disabled={isEmpty || rehearse.isPending}
            onClick={() => rehearse.mutate({ select: selection, change })}
          >
            {rehearse.isPending ? 'Rehearsing …' : 'Rehearse'}
          </Button>
          <Button
            look={plan ? 'main' : 'plain'}
            disabled={isEmpty || edit.isPending || plan?.totals.changed === 0}
            onClick={carryOut}
          >
            {plan ? `Carry out ${formatCount(plan.totals.changed, 'change')}` : 'Carry out'}
          </Button>
        </FormFoot>
      </div>
    </Dialog>
  );
}

function BulkLine({
  words,
  line,
  onChange,
}: {
  words: string;
  line: Line;
  onChange: (part: Partial<Line>) => void;
}) {
  return (
    <div className="grid grid-cols-[9rem_12rem_minmax(0,1fr)] items-center gap-4 border-b border-rule py-1.5">
      <span className="text-sm font-medium">{words}</span>
      <Select
        aria-label={`What happens with: ${words}`}
        value={line.way}
        onChange={(event) => onChange({ way: event.target.value as Way })}
      >
        {WAYS.map(([way, said]) => (
          <option key={way} value={way}>
            {said}
          </option>
        ))}
      </Select>
      {line.way === 'leave' ? (
        <span />
      ) : (
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
            placeholder={line.way === 'fill' ? '{words}' : line.way === 'set' ? 'nothing empties it' : ''}
            value={line.value}
            onChange={(event) => onChange({ value: event.target.value })}
          />
        </span>
      )}
    </div>
  );
}

/** Rehearsal: counts of all, and the first changes. */
function PlanTable({ plan: { items, totals } }: { plan: BulkPlan }) {
  const said = [
    `${formatNumber(totals.changed)} would change`,
    totals.hasOne > 0 && `${formatNumber(totals.hasOne)} already have one`,
    totals.noDate > 0 && `${formatNumber(totals.noDate)} have no capture date`,
    totals.dateLimit > 0 && `${formatNumber(totals.dateLimit)} would leave the years 1000 to 9999`,
    totals.same > 0 && `${formatNumber(totals.same)} are so already`,
  ].filter(Boolean);
  return (
    <section aria-label="What would change" className="border-l-2 border-ochre pl-4">
      <p role="status" className="font-medium">
        {said.join(', ')}.
      </p>
      <ul className="max-h-32 overflow-y-auto text-sm">
        {items.map(({ asset, name, before, after }) => (
          <li key={asset} className="grid grid-cols-[14rem_minmax(0,1fr)] gap-4 border-b border-rule py-0.5">
            <span className="truncate font-medium">{name}</span>
            <span className="truncate">
              {Object.keys(after).map((field) => (
                <span key={field} className="mr-4">
                  <span className="text-soft">
                    {field}: {show(before[field])} →{' '}
                  </span>
                  {show(after[field])}
                </span>
              ))}
            </span>
          </li>
        ))}
      </ul>
    </section>
  );
}

function show(value: unknown): string {
  if (value === null || value === undefined || value === '') return 'nothing';
  if (Array.isArray(value)) return value.length > 0 ? value.join(', ') : 'nothing';
  return String(value);
}

function toChange(lines: Record<FieldName, Line>, shift: string, folder: string): BulkChange {
  const replace = FIELDS.filter(([name]) => lines[name].way === 'replace' && lines[name].find !== '').map(
    ([name]) => ({
      field: name,
      find: lines[name].find,
      with: lines[name].value,
    }),
  );
  const change: BulkChange = {
    ...groupOf('set', lines),
    ...groupOf('append', lines),
    ...groupOf('fill', lines),
    ...(replace.length > 0 && { replace }),
  };
  if (/^-?\d+$/.test(shift) && Number(shift) !== 0) change.shiftMinutes = Number(shift);
  if (folder !== '') change.folder = folder;
  return change;
}

/** The fields that are edited in one way. Setting takes nothing as well: it empties them. */
function groupOf(way: 'set' | 'append' | 'fill', lines: Record<FieldName, Line>): BulkChange {
  const entries = FIELDS.filter(
    ([name]) => lines[name].way === way && (way === 'set' || lines[name].value !== ''),
  ).map(([name]) => [name, name === 'keywords' ? splitWords(lines[name].value) : lines[name].value || null]);
  return entries.length > 0 ? { [way]: Object.fromEntries(entries) } : {};
}

function splitWords(text: string): string[] {
  return [...new Set(text.split(',').map((word) => word.trim()))].filter((word) => word !== '');
}

function bulkCode(
  select: AssetSelection,
  change: BulkChange,
  lines: Record<FieldName, Line>,
  shift: string,
  folder: string,
) {
  const body = { select, change };
  const ways = new Set(FIELDS.map(([name]) => lines[name].way).filter((way) => way !== 'leave'));
  const text = (name: PlainText | 'keywords') => (lines[name].way === 'leave' ? null : lines[name].value);
  // The command line edits in one way at a time, of what a filter finds; else the general call does it.
  const isPlain = 'q' in select && ways.size <= 1 && !ways.has('replace');
  return {
    method: 'POST' as const,
    path: '/assets/bulk',
    body,
    client: `const request = ${JSON.stringify(body, null, 2)};\nconst { plan } = await uniferum.assets.rehearseEdit(request);\nconst { run } = await uniferum.assets.edit(request);\nawait uniferum.runs.wait(run.id);`,
    ...(isPlain && {
      command: commandLine(
        'set',
        '--find',
        select.q ?? '',
        ...option('--within', select.folder),
        ...FIELDS.flatMap(([name]) => option(`--${name}`, text(name))),
        ways.has('fill') && '--fill',
        ways.has('append') && '--append',
        ...option('--shift', shift),
        ...option('--folder', folder),
      ),
    }),
  };
}
