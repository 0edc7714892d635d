import Papa from 'papaparse';
import type { AssetTexts } from '../library/asset.js';
import { parseFolderPath } from '../library/paths.js';
import { readDate } from './manifest-date.js';

/** The possible meanings of a manifest's columns. */
export const MANIFEST_FIELDS = [
  'source',
  'folder',
  'name',
  'title',
  'alt',
  'caption',
  'credit',
  'keywords',
  'capturedAt',
] as const;
export type ManifestField = (typeof MANIFEST_FIELDS)[number];

/** The column of each field; a field without a column is absent. */
export type ManifestMapping = Partial<Record<ManifestField, string>>;

export interface ManifestFault {
  /** Counted from 1 without the header; null is the whole table. */
  row: number | null;
  column: string | null;
  message: string;
}

/** One row to be imported. */
export interface ManifestRow {
  row: number;
  source: { kind: 'path' | 'address'; value: string };
  folder: string;
  name: string | null;
  texts: Partial<AssetTexts>;
  capturedAt: string | null;
}

export interface ManifestPlan {
  columns: string[];
  /** The mapping used: the given one, or the proposed one. */
  mapping: ManifestMapping;
  /** The total number of rows, valid or not. */
  total: number;
  rows: ManifestRow[];
  faults: ManifestFault[];
}

export const MAX_MANIFEST_ROWS = 100_000;
const MAX_COLUMNS = 200;
/** The maximum number of characters quoted from a manifest in messages. */
const MAX_QUOTED = 80;

/** A manifest that is read row by row; only mapped columns are decoded. */
interface Table {
  columns: string[];
  /** @returns what is wrong with the table as a whole */
  read(take: (row: Row) => void): string | null;
}

interface Row {
  /** What is wrong with its structure; null when nothing is. */
  fault: string | null;
  get(column: string): string;
}

/** Opens a manifest: a JSON list of objects, or a table with a header (RFC 4180; commas, semicolons or tabs). */
function openTable(text: string): Table | { fault: string } {
  const body = text.replace(/^\ufeff/, '');
  return /^\s*[[{]/.test(body) ? openJson(body) : openDelimited(body);
}

function openDelimited(text: string): Table | { fault: string } {
  const head = Papa.parse<string[]>(text, { preview: 1, skipEmptyLines: 'greedy', fastMode: false });
  const names = (head.data[0] ?? []).map((name) => name.trim());
  const columns = [...new Set(names.filter((name) => name !== ''))];
  if (columns.length === 0) return { fault: 'the header row has no names' };
  if (columns.length > MAX_COLUMNS) return tooManyColumns(columns.length);
  const indexOf = new Map(columns.map((column) => [column, names.indexOf(column)]));
  return {
    columns,
    read(take) {
      let row = -1;
      Papa.parse<string[]>(text, {
        delimiter: head.meta.delimiter,
        skipEmptyLines: 'greedy',
        fastMode: false,
        step: ({ data, errors }, parser) => {
          row += 1;
          if (row === 0) return;
          if (row > MAX_MANIFEST_ROWS) {
            parser.abort();
            return;
          }
          const form = errors.find(({ type }) => type === 'Quotes')?.code ?? formOf(data, names);
          take({
            fault: form === null ? null : (FORM_FAULTS[form] ?? "this row can't be read"),
            get: (column) => data[indexOf.get(column) ?? -1]?.trim() ?? '',
          });
        },
      });
      return row > MAX_MANIFEST_ROWS ? TOO_MANY_ROWS : null;
    },
  };
}

function formOf(values: readonly string[], names: readonly string[]): string | null {
  if (values.length < names.length) return 'TooFewFields';
  return values.length > names.length ? 'TooManyFields' : null;
}

const FORM_FAULTS: Record<string, string> = {
  MissingQuotes: 'a quoted value is never closed',
  InvalidQuotes: 'unexpected quote; double quotes inside a value',
  TooFewFields: 'it has fewer values than the header',
  TooManyFields: 'it has more values than the header',
};

const TOO_MANY_ROWS = `it has more than ${MAX_MANIFEST_ROWS} rows; the remaining rows are ignored`;

function tooManyColumns(count: number): { fault: string } {
  return { fault: `it has ${count} columns; the limit is ${MAX_COLUMNS}` };
}

function openJson(text: string): Table | { fault: string } {
  let entries: unknown;
  try {
    entries = JSON.parse(text);
  } catch (error) {
    return {
      fault: `it is not valid JSON: ${quote(error instanceof Error ? error.message : String(error))}`,
    };
  }
  if (!Array.isArray(entries)) return { fault: 'a list of objects is expected' };
  const rows: unknown[] = entries.slice(0, MAX_MANIFEST_ROWS);
  const columns = new Set<string>();
  for (const entry of rows) {
    for (const name of isRecord(entry) ? Object.keys(entry) : []) columns.add(name);
    if (columns.size > MAX_COLUMNS) return tooManyColumns(columns.size);
  }
  return {
    columns: [...columns],
    read(take) {
      for (const entry of rows)
        take({
          fault: isRecord(entry) ? null : 'an object is expected',
          get: (column) => (isRecord(entry) && Object.hasOwn(entry, column) ? textOf(entry[column]) : ''),
        });
      return entries.length > MAX_MANIFEST_ROWS ? TOO_MANY_ROWS : null;
    },
  };
}

function isRecord(value: unknown): value is Record<string, unknown> {
  return typeof value === 'object' && value !== null && !Array.isArray(value);
}

function textOf(value: unknown): string {
  if (value === null || value === undefined) return '';
  if (Array.isArray(value)) return value.map(textOf).join(', ');
  return (typeof value === 'object' ? JSON.stringify(value) : String(value)).trim();
}

function quote(text: string): string {
  return text.length > MAX_QUOTED ? `${text.slice(0, MAX_QUOTED)}…` : text;
}

/** Common names of each field, in lower case without spaces and punctuation. Common practice, no source. */
const COMMON_NAMES: Record<ManifestField, readonly string[]> = {
  source: ['source', 'path', 'file', 'filepath', 'url', 'address', 'link', 'src', 'location', 'filename'],
  folder: ['folder', 'directory', 'dir', 'target', 'destination', 'album'],
  name: ['name', 'newname', 'saveas', 'as'],
  title: ['title', 'headline', 'objectname'],
  alt: ['alt', 'alttext', 'alternativetext', 'accessibility'],
  caption: ['caption', 'description', 'text', 'subtitle', 'abstract'],
  credit: ['credit', 'creator', 'author', 'photographer', 'artist', 'byline', 'copyright', 'by'],
  keywords: ['keywords', 'keyword', 'tags', 'tag', 'subjects'],
  capturedAt: [
    'capturedat',
    'captured',
    'taken',
    'date',
    'datetaken',
    'shot',
    'created',
    'capturedate',
    'when',
  ],
};

/** Proposes the meaning of columns by their names; each column is proposed for one field only. */
export function proposeMapping(columns: readonly string[]): ManifestMapping {
  const plain = (column: string) => column.toLowerCase().replace(/[^a-z0-9]/g, '');
  const free = new Set(columns);
  const mapping: ManifestMapping = {};
  for (const isExact of [true, false]) {
    for (const field of MANIFEST_FIELDS) {
      if (mapping[field] !== undefined) continue;
      const found = COMMON_NAMES[field]
        .map((name) =>
          [...free].find((column) =>
            isExact ? plain(column) === name : name.length > 3 && plain(column).includes(name),
          ),
        )
        .find((column) => column !== undefined);
      if (found === undefined) continue;
      mapping[field] = found;
      free.delete(found);
    }
  }
  return mapping;
}

/**
 * Plans the import of each row of a manifest. Rows with faults are left out and listed.
 *
 * @param mapping null uses the proposed one
 * @param folder for rows without one
 */
export function planManifest(
  text: string,
  { mapping: given, folder }: { mapping: ManifestMapping | null; folder: string },
): ManifestPlan {
  const table = openTable(text);
  const none: ManifestPlan = { columns: [], mapping: given ?? {}, total: 0, rows: [], faults: [] };
  if ('fault' in table) return { ...none, faults: [{ row: null, column: null, message: table.fault }] };
  const { columns } = table;
  const mapping = given ?? proposeMapping(columns);
  const source = mapping.source ?? null;
  const plan: ManifestPlan = { ...none, columns, mapping };
  const hasSource = source !== null && columns.includes(source);
  if (!hasSource)
    plan.faults.push({ row: null, column: source, message: 'no column contains the path or URL' });
  const fault = table.read((row) => {
    plan.total += 1;
    const planned = planRow(row, plan.total, mapping, folder);
    if (!('message' in planned)) plan.rows.push(planned);
    else if (hasSource || row.fault !== null) plan.faults.push(planned);
  });
  if (fault !== null) plan.faults.push({ row: null, column: null, message: fault });
  return plan;
}

function planRow(
  values: Row,
  row: number,
  mapping: ManifestMapping,
  defaultFolder: string,
): ManifestRow | ManifestFault {
  const get = (field: ManifestField) => {
    const column = mapping[field];
    return column === undefined ? '' : values.get(column);
  };
  const refuse = (field: ManifestField | null, message: string) => ({
    row,
    column: (field && mapping[field]) ?? null,
    message,
  });
  if (values.fault !== null) return refuse(null, values.fault);
  const source = get('source');
  if (source === '') return refuse('source', 'it has no path or URL');
  const folder = parseFolderPath(get('folder') || defaultFolder);
  if (!folder.ok) return refuse('folder', `its folder is invalid: ${folder.reason}`);
  const date = get('capturedAt');
  const captured = readDate(date);
  if (captured === 'none')
    return refuse('capturedAt', `"${quote(date)}" is not a date; use 2025-09-14 or 2025-09-14T18:30:00Z`);
  return {
    row,
    source: { kind: /^(?:https?|data):/i.test(source) ? 'address' : 'path', value: source },
    folder: folder.path,
    name: get('name') || null,
    texts: readTexts(get),
    capturedAt: captured,
  };
}

function readTexts(get: (field: ManifestField) => string): Partial<AssetTexts> {
  const texts: Partial<AssetTexts> = {};
  for (const field of ['title', 'alt', 'caption', 'credit'] as const)
    if (get(field)) texts[field] = get(field);
  const keywords = get('keywords')
    .split(/[,;|]/)
    .map((word) => word.trim())
    .filter((word) => word !== '');
  if (keywords.length > 0) texts.keywords = [...new Set(keywords)];
  return texts;
}
