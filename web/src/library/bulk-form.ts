import type { AssetSelection } from '@uniferum/client';
import type { BulkChange } from '@uniferum/core/library';
import { commandLine, option } from '../ui/command-line.js';
import { TEXT_WORDS } from '../ui/text-words.js';

export const BULK_FIELDS = (['title', 'alt', 'caption', 'credit', 'keywords'] as const).map(
  (name) => [name, TEXT_WORDS[name]] as const,
);

/** The possible changes to a field, with their labels. */
export const WAYS = [
  ['leave', 'leave unchanged'],
  ['fill', 'fill empty ones'],
  ['set', 'set'],
  ['append', 'append'],
  ['replace', 'replace'],
] as const;

export type FieldName = (typeof BULK_FIELDS)[number][0];
export type Way = (typeof WAYS)[number][0];

export interface BulkField {
  way: Way;
  value: string;
  find: string;
}

/** The state of the bulk edit form. */
export interface BulkForm {
  lines: Record<FieldName, BulkField>;
  /** Minutes by which capture dates are shifted. */
  shift: string;
  folder: string;
}

export const EMPTY_BULK_FORM: BulkForm = {
  lines: Object.fromEntries(
    BULK_FIELDS.map(([name]) => [name, { way: 'leave', value: '', find: '' }]),
  ) as BulkForm['lines'],
  shift: '',
  folder: '',
};

/** The change described by the form; empty when there is none. */
export function toChange({ lines, shift, folder }: BulkForm): BulkChange {
  const replace = BULK_FIELDS.filter(
    ([name]) => lines[name].way === 'replace' && lines[name].find !== '',
  ).map(([name]) => ({
    field: name,
    find: lines[name].find,
    with: lines[name].value,
  }));
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

/** The fields changed in one way. Setting an empty value clears the field. */
function groupOf(way: 'set' | 'append' | 'fill', lines: BulkForm['lines']): BulkChange {
  const entries = BULK_FIELDS.filter(
    ([name]) => lines[name].way === way && (way === 'set' || lines[name].value !== ''),
  ).map(([name]) => [name, name === 'keywords' ? splitWords(lines[name].value) : lines[name].value || null]);
  return entries.length > 0 ? { [way]: Object.fromEntries(entries) } : {};
}

function splitWords(text: string): string[] {
  return [...new Set(text.split(',').map((word) => word.trim()))].filter((word) => word !== '');
}

/** The edit as code. */
export function bulkCode(select: AssetSelection, form: BulkForm) {
  const { lines } = form;
  const change = toChange(form);
  const body = { select, change };
  const ways = new Set(BULK_FIELDS.map(([name]) => lines[name].way).filter((way) => way !== 'leave'));
  // The command line makes one kind of change to the results of a filter; everything else needs the general call.
  const isPlain = 'q' in select && ways.size <= 1 && !ways.has('replace');
  return {
    method: 'POST' as const,
    path: '/assets/bulk',
    body,
    client: [
      `const request = ${JSON.stringify(body, null, 2)};`,
      'const { plan } = await uniferum.assets.rehearseEdit(request);',
      'const { run } = await uniferum.assets.edit(request);',
      'await uniferum.runs.wait(run.id);',
    ].join('\n'),
    ...(isPlain && { command: bulkCommand(select, form, ways) }),
  };
}

function bulkCommand(
  { q = '', folder: within }: Extract<AssetSelection, { q?: string }>,
  { lines, shift, folder }: BulkForm,
  ways: ReadonlySet<Way>,
): string {
  const text = (name: FieldName) => (lines[name].way === 'leave' ? null : lines[name].value);
  return commandLine(
    'set',
    '--filter',
    q,
    ...option('--in', within),
    ...BULK_FIELDS.flatMap(([name]) => option(`--${name}`, text(name))),
    ways.has('fill') && '--fill',
    ways.has('append') && '--append',
    ...option('--shift', shift),
    ...option('--to', folder),
  );
}
