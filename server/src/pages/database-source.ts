import { encodePath } from '@uniferum/core/library';
import { applyEdits, type DatabaseSettings } from '@uniferum/core/pages';
import { UniferumError } from '../shared/errors.js';
import {
  type ConfirmedDocument,
  type DocumentChange,
  MAX_ADDRESS,
  type OpenedSource,
  type PresentDocument,
  SourceFault,
  TOO_LARGE,
  type WriteOutcome,
} from './opened-source.js';
import { type DatabaseConfig, SiteDatabase } from './site-database.js';
import type { ListedDocument, PageSource } from './source.js';
import {
  type Belongings,
  listValues,
  readColumns,
  readDigests,
  readSizes,
  readValue,
  readValues,
  requireKey,
  type TableColumn,
  updateValue,
} from './table-queries.js';
import { digestOf } from './write-document.js';

/** So many bytes of documents are kept in memory at a time. */
const BYTES_AT_A_TIME = 8_000_000;
const MAX_TITLE = 300;

/** Opens columns of a table. @throws SourceFault, UniferumError `source-away` */
export async function openDatabase(
  config: DatabaseConfig,
  source: PageSource<'database'>,
): Promise<OpenedSource> {
  const database = await SiteDatabase.open(config, source);
  try {
    await requireKey(database);
    return new ColumnsOfTable(database, await readColumns(database));
  } catch (error) {
    await database.close();
    throw error;
  }
}

/** The path of a value within its source. */
function pathOf(key: string, column: string): string {
  return `${encodeURIComponent(key)}/${column}`;
}

function readPath(path: string): { key: string; column: string } {
  const slash = path.indexOf('/');
  return { key: decodeURIComponent(path.slice(0, slash)), column: path.slice(slash + 1) };
}

/** Types whose values are not the same again after they were written as text. */
const INEXACT_KEYS = /^(?:binary|varbinary|float|double|bit)$/;

/** Columns of a table. Each of their values is a document. */
class ColumnsOfTable implements OpenedSource {
  readonly #database: SiteDatabase;
  readonly #settings: DatabaseSettings;
  readonly #columns: ReadonlyMap<string, TableColumn>;

  /** @throws SourceFault when a column of the settings is missing */
  constructor(database: SiteDatabase, columns: readonly TableColumn[]) {
    this.#database = database;
    this.#settings = database.settings;
    this.#columns = new Map(columns.map((column) => [column.name, column]));
    for (const { name } of this.#settings.columns) this.#column(name);
    const { name: key, type } = this.#column(this.#settings.key);
    if (INEXACT_KEYS.test(type))
      throw new SourceFault(
        `${key} is of type ${type}, whose values can't be written as text and found again. Choose a key of numbers or text.`,
      );
  }

  get siteUrl(): string | null {
    const origin = /^https?:\/\/[^/{]+/i.exec(this.#settings.url ?? '');
    return origin && `${origin[0]}/`;
  }

  get place(): string {
    return `The table ${this.#settings.table}`;
  }

  async list(): Promise<ListedDocument[]> {
    const listed: ListedDocument[] = [];
    for (const { name } of this.#settings.columns)
      for (let after: string | null = null; ; ) {
        const rows = await listValues(this.#database, name, after);
        for (const { id, size, digest } of rows)
          if (size > 0) listed.push({ path: pathOf(id, name), stamp: `${size}-${digest}` });
        const last = rows.at(-1);
        if (last === undefined) break;
        after = last.id;
      }
    return listed;
  }

  async *present(paths: readonly string[]): AsyncGenerator<PresentDocument[]> {
    const wanted = paths.map(readPath);
    for (const { name, format } of this.#settings.columns) {
      const keys = wanted.filter(({ column }) => column === name).map(({ key }) => key);
      for (const some of await this.#groupBySize(name, keys))
        yield (await this.#read(name, some)).map((row) => ({
          ...{ ...this.#belongings(name, row), format },
          content: { bytes: row.value ?? new Uint8Array() },
          fault: row.value === null ? TOO_LARGE : null,
        }));
    }
  }

  /** Keys of values that are read together. */
  async #groupBySize(column: string, keys: readonly string[]): Promise<string[][]> {
    const groups: string[][] = [];
    let left = 0;
    const sizes = keys.length === 0 ? [] : await readSizes(this.#database, column, keys);
    for (const { id, size } of sizes) {
      if (left < size || groups.length === 0) {
        groups.push([]);
        left = BYTES_AT_A_TIME;
      }
      groups.at(-1)?.push(id);
      left -= size;
    }
    return groups;
  }

  #read(column: string, keys: readonly string[]) {
    return readValues(this.#database, this.#column(column), { keys, others: this.#others });
  }

  /**
   * Values that were just read are replaced in one transaction; each statement makes sure that its value still is what was
   * read. What that can't decide is decided one by one.
   */
  async write(changes: readonly DocumentChange[]): Promise<WriteOutcome[]> {
    const isReplaced = await this.#replaceTogether(changes);
    const outcomes: WriteOutcome[] = [];
    for (const [n, change] of changes.entries())
      outcomes.push(isReplaced[n] ? { kind: 'written' } : await this.#writeOne(change));
    return outcomes;
  }

  async #replaceTogether(changes: readonly DocumentChange[]): Promise<boolean[]> {
    const none = changes.map(() => false);
    if (!changes.some(({ bytes }) => bytes)) return none;
    try {
      return await this.#database.transaction(async () => {
        const isReplaced: boolean[] = [];
        for (const change of changes) isReplaced.push(await this.#replaceRead(change));
        return isReplaced;
      });
    } catch (error) {
      if (error instanceof UniferumError && error.code === 'source-away') throw error;
      // One of them is refused; which one, and why, is found out one by one.
      return none;
    }
  }

  #replaceRead({ path, edits, before, bytes }: DocumentChange): Promise<boolean> | boolean {
    if (!bytes) return false;
    const { key, column } = readPath(path);
    return updateValue(this.#database, this.#column(column), { key, before, next: applyTo(bytes, edits) });
  }

  async #writeOne({ path, edits, before, after }: DocumentChange): Promise<WriteOutcome> {
    const { key, column } = readPath(path);
    const value = await readValue(this.#database, this.#column(column), key);
    if (value === null) return { kind: 'gone' };
    const digest = digestOf(value);
    if (digest === after) return { kind: 'written' };
    if (digest !== before) return { kind: 'changed' };
    const next = applyTo(value, edits);
    try {
      const isReplaced = await updateValue(this.#database, this.#column(column), { key, before, next });
      if (isReplaced) return { kind: 'written' };
      // Another worker may have made the same change in between.
      const now = await readValue(this.#database, this.#column(column), key);
      return { kind: now !== null && digestOf(now) === after ? 'written' : 'changed' };
    } catch (error) {
      return toFailure(error, path);
    }
  }

  async confirm(written: readonly Pick<DocumentChange, 'path' | 'after'>[]): Promise<ConfirmedDocument[]> {
    const after = new Map(written.map((one) => [one.path, one.after]));
    const confirmed: ConfirmedDocument[] = [];
    for (const { name } of this.#settings.columns) {
      const keys = [...after.keys()]
        .map(readPath)
        .flatMap(({ key, column }) => (column === name ? [key] : []));
      if (keys.length === 0) continue;
      const rows = await readDigests(this.#database, this.#column(name), { keys, others: this.#others });
      for (const row of rows)
        if (row.sha256 === after.get(pathOf(row.id, name))) confirmed.push(this.#belongings(name, row));
    }
    return confirmed;
  }

  close(): Promise<void> {
    return this.#database.close();
  }

  /** The columns whose values are in the addresses of pages. */
  get #others(): string[] {
    const { url } = this.#settings;
    return [...this.#columns.keys()].filter((name) => url?.includes(`{${name}}`));
  }

  #belongings(column: string, { id, size, digest, title, others }: Belongings): ConfirmedDocument {
    return {
      ...{ path: pathOf(id, column), stamp: `${size}-${digest}` },
      url: this.#settings.url && fillUrl(this.#settings.url, new Map(others).set('key', id)),
      title: title?.trim().slice(0, MAX_TITLE) || null,
    };
  }

  #column(name: string): TableColumn {
    const column = this.#columns.get(name);
    if (column) return column;
    throw new SourceFault(
      `There is no column ${name} in the table ${this.#settings.table}. Change the settings of the source.`,
    );
  }
}

function applyTo(bytes: Uint8Array, edits: DocumentChange['edits']): Buffer {
  const text = Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength).toString('latin1');
  return Buffer.from(applyEdits(text, edits), 'latin1');
}

/** A refusal of this one value, such as one that is longer than its column; anything else is thrown. */
function toFailure(error: unknown, path: string): WriteOutcome {
  const { code, message } = error as NodeJS.ErrnoException;
  if (code === 'ER_DATA_TOO_LONG')
    return {
      kind: 'failed',
      message: `${path} would be longer than its column allows. It was left unchanged.`,
    };
  if (error instanceof SourceFault || code === 'ER_NET_PACKET_TOO_LARGE')
    return { kind: 'failed', message: `${path} can't be written: ${message}` };
  throw error;
}

/** Puts the values of a row into an address; null when it becomes too long. */
export function fillUrl(template: string, values: ReadonlyMap<string, string>): string | null {
  const url = template.replace(/\{([^{}]+)\}/g, (all, name: string) => {
    const value = values.get(name);
    return value === undefined ? all : encodePath(value);
  });
  return url.length > MAX_ADDRESS ? null : url;
}
