import Papa from 'papaparse';
import type { AssetTexts } from '../library/asset.js';
import { parseFolderPath } from '../library/paths.js';

/** What a column of a manifest can mean. */
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

/** Which column holds which field; a field without a column is absent. */
export type ManifestMapping = Partial<Record<ManifestField, string>>;

/** A manifest as a table, and what is wrong with its form. */
export interface ManifestTable {
  columns: string[];
  rows: Record<string, string>[];
  faults: ManifestFault[];
}

export interface ManifestFault {
  /** Counted from 1, the head not counted; null is the table as a whole. */
  row: number | null;
  column: string | null;
  message: string;
}

/** One row that is to be taken in. */
export interface ManifestRow {
  row: number;
  source: { kind: 'path' | 'address'; value: string };
  folder: string;
  name: string | null;
  texts: Partial<AssetTexts>;
  capturedAt: string | null;
}

export interface ManifestPlan {
  rows: ManifestRow[];
  faults: ManifestFault[];
}

export const MAX_MANIFEST_ROWS = 100_000;

/** Reads a manifest: a JSON list of objects, or a table with a head (RFC 4180; commas, semicolons or tabs). */
export function readManifest(text: string): ManifestTable {
  const body = text.replace(/^\ufeff/, '');
  return /^\s*[[{]/.test(body) ? readJson(body) : readTable(body);
}

function readTable(text: string): ManifestTable {
  const parsed = Papa.parse<Record<string, string>>(text, {
    header: true,
    skipEmptyLines: 'greedy',
    transformHeader: (head) => head.trim(),
    transform: (value) => value.trim(),
  });
  const columns = (parsed.meta.fields ?? []).filter((column) => column !== '');
  const faults = parsed.errors
    // Of a single column no delimiter can be told, which is no fault.
    .filter(({ type }) => type !== 'Delimiter')
    .map(
      ({ type, code, row }): ManifestFault => ({
        // The reader counts the head when a quote is wrong, and doesn't when values are missing.
        row: row === undefined ? null : Math.max(1, type === 'Quotes' ? row : row + 1),
        column: null,
        message: FORM_FAULTS[code] ?? 'this row can’t be read',
      }),
    );
  if (columns.length === 0) faults.push({ row: null, column: null, message: 'there is no head with names' });
  return limitRows({ columns, rows: parsed.data, faults });
}

const FORM_FAULTS: Record<string, string> = {
  MissingQuotes: 'a quoted value is never closed',
  InvalidQuotes: 'a quote stands where none can; double it within a value',
  TooFewFields: 'it has fewer values than the head has names',
  TooManyFields: 'it has more values than the head has names',
};

function readJson(text: string): ManifestTable {
  const fault = (message: string): ManifestTable => ({
    columns: [],
    rows: [],
    faults: [{ row: null, column: null, message }],
  });
  let parsed: unknown;
  try {
    parsed = JSON.parse(text);
  } catch (error) {
    return fault(`it is no valid JSON: ${error instanceof Error ? error.message : error}`);
  }
  if (!Array.isArray(parsed)) return fault('a list of objects is expected');
  const faults: ManifestFault[] = [];
  const columns = new Set<string>();
  const rows = parsed.map((entry: unknown, index) => {
    if (typeof entry !== 'object' || entry === null || Array.isArray(entry)) {
      faults.push({ row: index + 1, column: null, message: 'an object is expected' });
      return {};
    }
    const row: Record<string, string> = {};
    for (const [key, value] of Object.entries(entry)) {
      columns.add(key);
      if (value !== null && value !== undefined)
        row[key] = Array.isArray(value) ? value.join(', ') : String(value);
    }
    return row;
  });
  return limitRows({ columns: [...columns], rows, faults });
}

function limitRows(table: ManifestTable): ManifestTable {
  if (table.rows.length <= MAX_MANIFEST_ROWS) return table;
  const message = `it has ${table.rows.length} rows; ${MAX_MANIFEST_ROWS} are taken at a time`;
  return {
    ...table,
    rows: table.rows.slice(0, MAX_MANIFEST_ROWS),
    faults: [...table.faults, { row: null, column: null, message }],
  };
}

/** Names under which each field is commonly written, in lower case without spaces and signs. Common practice, no source. */
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

/** Proposes which column means what, by its name; a column is proposed for one field only. */
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

/** Works out what each row would take in. Rows with a fault are left out and listed. */
export function planManifest(
  table: ManifestTable,
  mapping: ManifestMapping,
  defaultFolder: string,
): ManifestPlan {
  const faults = [...table.faults];
  if (mapping.source === undefined || !table.columns.includes(mapping.source)) {
    faults.push({
      row: null,
      column: mapping.source ?? null,
      message: 'no column holds the path or address',
    });
    return { rows: [], faults };
  }
  const broken = new Set(table.faults.map(({ row }) => row));
  const rows: ManifestRow[] = [];
  for (const [index, values] of table.rows.entries()) {
    const row = index + 1;
    if (broken.has(row)) continue;
    const get = (field: ManifestField) => {
      const column = mapping[field];
      return column === undefined ? '' : (values[column] ?? '').trim();
    };
    const refuse = (field: ManifestField, message: string) =>
      faults.push({ row, column: mapping[field] ?? null, message });
    const source = get('source');
    if (source === '') {
      refuse('source', 'it names no path or address');
      continue;
    }
    const folder = parseFolderPath(get('folder') || defaultFolder);
    if (!folder.ok) {
      refuse('folder', `its folder can’t be: ${folder.reason}`);
      continue;
    }
    const captured = readDate(get('capturedAt'));
    if (captured === 'none') {
      refuse('capturedAt', `"${get('capturedAt')}" is no date; write 2025-09-14 or 2025-09-14T18:30:00Z`);
      continue;
    }
    rows.push({
      row,
      source: { kind: /^(?:https?|data):/i.test(source) ? 'address' : 'path', value: source },
      folder: folder.path,
      name: get('name') || null,
      texts: readTexts(get),
      capturedAt: captured,
    });
  }
  return { rows, faults };
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

const DATE =
  /^(\d{4})[-:/.](\d{2})[-:/.](\d{2})(?:[T ](\d{2}):(\d{2})(?::(\d{2}))?(?:\.\d+)?\s*(Z|[+-]\d{2}:?\d{2})?)?$/;

/** Reads ISO 8601 and Exif's way of writing dates, as UTC; null when there is none, `none` when it is no date. */
function readDate(text: string): string | null | 'none' {
  if (text === '') return null;
  const parts = DATE.exec(text);
  if (!parts) return 'none';
  const [, year, month, day, hour = '00', minute = '00', second = '00', zone = 'Z'] = parts;
  const offset = zone === 'Z' ? zone : zone.replace(/^([+-]\d{2}):?(\d{2})$/, '$1:$2');
  const ms = Date.parse(`${year}-${month}-${day}T${hour}:${minute}:${second}${offset}`);
  const isReal =
    !Number.isNaN(ms) &&
    new Date(Date.UTC(Number(year), Number(month) - 1, Number(day))).getUTCDate() === Number(day);
  return isReal ? new Date(ms).toISOString() : 'none';
}
