import type { DatabaseSettings } from '@uniferum/core/pages';
import { hasDigest, isSha256 } from '../inspection/content-digest.js';
import { UniferumError } from '../shared/errors.js';
import { groupBy } from '../shared/group.js';
import {
  type ConfirmedDocument,
  type DocumentChange,
  MAX_DOCUMENT_BYTES,
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
  canBeEdited,
  editValues,
  isWorkedOnAsStored,
  listValues,
  type ReadValue,
  readColumns,
  readDigests,
  readValue,
  readValues,
  requireKey,
  type TableColumn,
  updateValue,
  type ValueEdits,
} from './table-queries.js';
import {
  applyTo,
  BYTES_AT_A_TIME,
  fillUrl,
  groupBySize,
  pathOf,
  readPath,
  stampDigest,
  toFailure,
} from './table-values.js';

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

/** Types whose values are not the same again after they were written as text. */
const INEXACT_KEYS = /^(?:binary|varbinary|float|double|bit)$/;

/** Columns of a table. Each of their values is a document. */
class ColumnsOfTable implements OpenedSource {
  readonly isStampedByContent = true;
  readonly #database: SiteDatabase;
  readonly #settings: DatabaseSettings;
  readonly #columns: ReadonlyMap<string, TableColumn>;
  /** Whether the digests of a column's values can be computed here. */
  readonly #isComputable = new Map<string, boolean>();
  /** What belongs to the values that were read last. */
  readonly #read = new Map<string, Belongings>();

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
    this.#read.clear();
    const wanted = paths.map(readPath);
    for (const { name, format } of this.#settings.columns) {
      const keys = wanted.filter(({ column }) => column === name).map(({ key }) => key);
      for await (const rows of this.#readSome(name, keys))
        yield rows.map((row) => {
          const { value, ...belongings } = row;
          const isDigest = row.title === null && isWorkedOnAsStored(this.#column(name));
          this.#read.set(pathOf(row.id, name), belongings);
          return {
            ...{ ...this.#belongings(name, row), format },
            content: { bytes: value ?? new Uint8Array() },
            ...(isDigest && { digest: row.digest }),
            fault: value === null ? TOO_LARGE : null,
          };
        });
    }
  }

  /** Reads values: first those that are small enough to be read together whatever the others are. */
  async *#readSome(name: string, keys: readonly string[]): AsyncGenerator<ReadValue[]> {
    if (keys.length === 0) return;
    const column = this.#column(name);
    const others = this.#others;
    const maxBytes = Math.floor(BYTES_AT_A_TIME / keys.length);
    const rows = await readValues(this.#database, column, { keys, others, maxBytes });
    const small = rows.filter(({ value }) => value !== null);
    if (small.length > 0) yield small;
    for (const some of groupBySize(rows.filter(({ value }) => value === null)))
      yield await readValues(this.#database, column, { keys: some, others, maxBytes: MAX_DOCUMENT_BYTES });
  }

  /**
   * Values that were just read are replaced in one transaction; each statement makes sure that its values still are what
   * was read. What that can't decide is decided one by one.
   */
  async write(changes: readonly DocumentChange[]): Promise<WriteOutcome[]> {
    const isReplaced = (await this.#replaceTogether(changes)) ?? [];
    const outcomes: WriteOutcome[] = [];
    for (const [n, change] of changes.entries())
      outcomes.push(isReplaced[n] ? { kind: 'written' } : await this.#writeOne(change));
    return outcomes;
  }

  /** @returns null when none was replaced */
  async #replaceTogether(changes: readonly DocumentChange[]): Promise<boolean[] | null> {
    if (!changes.some(({ bytes }) => bytes)) return null;
    try {
      return await this.#database.transaction(async () => {
        const edited = await this.#editMany(changes);
        const isReplaced: boolean[] = [];
        for (const change of changes)
          isReplaced.push(edited.has(change) || (await this.#replaceRead(change)));
        return isReplaced;
      });
    } catch (error) {
      if (error instanceof UniferumError && error.code === 'source-away') throw error;
      // One of them is refused; which one, and why, is found out one by one.
      return null;
    }
  }

  /** Edits what can be edited by one statement for each column. @throws Error when one of them is no longer as it was read */
  async #editMany(changes: readonly DocumentChange[]): Promise<Set<DocumentChange>> {
    const keyColumn = this.#column(this.#settings.key);
    const edited = new Set<DocumentChange>();
    const wanted = changes.flatMap((change) => {
      const { key, column } = readPath(change.path);
      const digest = this.#read.get(change.path)?.digest;
      if (!change.bytes || digest === undefined) return [];
      const values: ValueEdits = { key, digest, edits: change.edits };
      if (!canBeEdited(keyColumn, values)) return [];
      edited.add(change);
      return [{ column, values }];
    });
    for (const [name, some] of groupBy(wanted, ({ column }) => column)) {
      const values = some.map((one) => one.values);
      if ((await editValues(this.#database, this.#column(name), values)) !== values.length)
        throw new Error('Expected every value to be as it was read');
    }
    return edited;
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
    if (hasDigest(value, after)) return { kind: 'written' };
    if (!hasDigest(value, before)) return { kind: 'changed' };
    const next = applyTo(value, edits);
    try {
      const isReplaced = await updateValue(this.#database, this.#column(column), { key, before, next });
      if (isReplaced) return { kind: 'written' };
      // Another worker may have made the same change in between.
      const now = await readValue(this.#database, this.#column(column), key);
      return { kind: now !== null && hasDigest(now, after) ? 'written' : 'changed' };
    } catch (error) {
      return toFailure(error, path);
    }
  }

  async confirm(written: readonly DocumentChange[]): Promise<ConfirmedDocument[]> {
    const computed = written.flatMap((change) => this.#confirmOwn(change));
    const isComputed = new Set(computed.map(({ path }) => path));
    const asked = written.filter(({ path }) => !isComputed.has(path));
    return [...computed, ...(await this.#confirmByReading(asked))];
  }

  /**
   * What the database would say of a value that was just written. It is computed in columns where that gives what the
   * database says; should somebody change the value meanwhile, the next run that indexes it notices.
   */
  #confirmOwn({ path, bytes, edits, after }: DocumentChange): ConfirmedDocument[] {
    const { column: name } = readPath(path);
    const read = this.#read.get(path);
    const { titleColumn } = this.#settings;
    const isOwn =
      isWorkedOnAsStored(this.#column(name)) && titleColumn !== name && !this.#others.includes(name);
    if (!isOwn || !read || !bytes) return [];
    if (!this.#isComputable.has(name))
      this.#isComputable.set(name, read.digest === stampDigest(bytes, read.title));
    if (!this.#isComputable.get(name)) return [];
    const size = edits.reduce((sum, edit) => sum + edit.after.length - edit.before.length, read.size);
    const isKnown = read.title === null && !isSha256(after);
    const digest = isKnown ? after : stampDigest(applyTo(bytes, edits), read.title);
    return [this.#belongings(name, { ...read, size, digest })];
  }

  async #confirmByReading(written: readonly DocumentChange[]): Promise<ConfirmedDocument[]> {
    // Undone edits of earlier releases have other digests: their documents are read again.
    const after = new Map(written.flatMap((one) => (isSha256(one.after) ? [] : [[one.path, one.after]])));
    const confirmed: ConfirmedDocument[] = [];
    for (const { name } of this.#settings.columns) {
      const keys = [...after.keys()]
        .map(readPath)
        .flatMap(({ key, column }) => (column === name ? [key] : []));
      if (keys.length === 0) continue;
      const rows = await readDigests(this.#database, this.#column(name), { keys, others: this.#others });
      for (const row of rows)
        if (row.sha1 === after.get(pathOf(row.id, name))) confirmed.push(this.#belongings(name, row));
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
