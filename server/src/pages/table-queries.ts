import type { Edit } from '@uniferum/core/pages';
import { isSha256 } from '../inspection/content-digest.js';
import { SourceFault } from './opened-source.js';
import { quote, type SiteDatabase } from './site-database.js';

/** A column of a table, as its database describes it. */
export interface TableColumn {
  name: string;
  type: string;
  /** Null for columns of bytes and numbers. */
  charset: string | null;
}

/** Describes the columns of the table. */
export function readColumns(database: SiteDatabase): Promise<TableColumn[]> {
  return database.query<TableColumn>(
    `SELECT COLUMN_NAME AS name, DATA_TYPE AS type, CHARACTER_SET_NAME AS charset
     FROM information_schema.COLUMNS WHERE TABLE_SCHEMA = DATABASE() AND TABLE_NAME = ?`,
    [database.settings.table],
  );
}

/** Lists the columns whose values are unique, each by itself. */
export async function readUniqueColumns(database: SiteDatabase): Promise<string[]> {
  const unique = await database.query<{ name: string; columns: number }>(
    `SELECT MIN(COLUMN_NAME) AS name, COUNT(*) AS columns FROM information_schema.STATISTICS
     WHERE TABLE_SCHEMA = DATABASE() AND TABLE_NAME = ? AND NON_UNIQUE = 0 GROUP BY INDEX_NAME`,
    [database.settings.table],
  );
  return unique.filter(({ columns }) => columns === 1).map(({ name }) => name);
}

/** Finds the table; null when there is none that the user may see. */
export async function findTable(
  database: SiteDatabase,
): Promise<{ items: number | null; type: string } | null> {
  const [row] = await database.query<{ items: number | null; type: string }>(
    `SELECT TABLE_ROWS AS items, TABLE_TYPE AS type FROM information_schema.TABLES
     WHERE TABLE_SCHEMA = DATABASE() AND TABLE_NAME = ?`,
    [database.settings.table],
  );
  return row ?? null;
}

/** @throws SourceFault when rows could not be found again by the key */
export async function requireKey(database: SiteDatabase): Promise<void> {
  const { key, table } = database.settings;
  const unique = await readUniqueColumns(database);
  if (unique.includes(key)) return;
  throw new SourceFault(
    unique.length === 0
      ? `${table} has no key: no column is unique. Add a primary key of one column, so that every row can be found again.`
      : `${key} is not unique in ${table}. Choose ${unique.join(' or ')}.`,
  );
}

/** Reads the columns of one row, to see that it is allowed. */
export async function tryReading(database: SiteDatabase): Promise<void> {
  const { columns, table } = database.settings;
  await database.query(
    `SELECT ${columns.map(({ name }) => quote(name)).join(', ')} FROM ${quote(table)} LIMIT 1`,
  );
}

/** Changes no row, to see that changing is allowed: the right is checked all the same. */
export async function tryWriting(database: SiteDatabase): Promise<void> {
  const { columns, table } = database.settings;
  const same = columns.map(({ name }) => `${quote(name)} = ${quote(name)}`).join(', ');
  await database.change(`UPDATE ${quote(table)} SET ${same} WHERE 1 = 0`, []);
}

const ROWS_AT_A_TIME = 2000;

/** A value of a column, without the value. */
export interface ListedValue {
  id: string;
  size: number;
  /** Of the value and the title of its page. */
  digest: string;
}

/** Lists values behind a key, in the order of keys. They are read where they are, and not sent. */
export function listValues(
  database: SiteDatabase,
  column: string,
  after: string | null,
): Promise<ListedValue[]> {
  const key = keyOf(database);
  return database.query<ListedValue>(
    `SELECT CAST(${key} AS CHAR) AS id, COALESCE(LENGTH(${quote(column)}), 0) AS size, ${digestOf(database, column)} AS digest
     FROM ${quote(database.settings.table)} WHERE ${after === null ? `${key} IS NOT NULL` : `${key} > ?`}
     ORDER BY ${key} LIMIT ${ROWS_AT_A_TIME}`,
    after === null ? [] : [after],
  );
}

/** What belongs to a value. */
export interface Belongings extends ListedValue {
  title: string | null;
  /** Other columns of its row, by name. */
  others: Map<string, string>;
}

/** A value with what belongs to it. */
export interface ReadValue extends Belongings {
  /** Null when it is too large to be read. */
  value: Buffer | null;
}

interface Wanted {
  keys: readonly string[];
  /** Further columns of their rows. */
  others: readonly string[];
}

/** Reads values of at most so many bytes, and other columns of the rows of all. Texts are in UTF-8. */
export async function readValues(
  database: SiteDatabase,
  column: TableColumn,
  { maxBytes, ...wanted }: Wanted & { maxBytes: number },
): Promise<ReadValue[]> {
  const value = `IF(LENGTH(${quote(column.name)}) > ${maxBytes}, NULL, ${asBytes(column)}) AS value`;
  return readRows<{ value: Buffer | null }>(database, column, wanted, value);
}

/** Reads what belongs to values, and their digests, but not the values. */
export function readDigests(
  database: SiteDatabase,
  column: TableColumn,
  wanted: Wanted,
): Promise<(Belongings & { sha1: string })[]> {
  return readRows<{ sha1: string }>(database, column, wanted, `SHA1(${asUtf8(column)}) AS sha1`);
}

async function readRows<More>(
  database: SiteDatabase,
  column: TableColumn,
  { keys, others }: Wanted,
  more: string,
): Promise<(Belongings & More)[]> {
  const { table, titleColumn } = database.settings;
  const key = keyOf(database);
  const value = quote(column.name);
  const rows = await database.query<
    ListedValue & More & { title: string | null } & Record<`other${number}`, string | null>
  >(
    `SELECT CAST(${key} AS CHAR) AS id, LENGTH(${value}) AS size, ${digestOf(database, column.name)} AS digest,
            ${titleColumn === null ? 'NULL' : `CAST(${quote(titleColumn)} AS CHAR)`} AS title, ${more}
            ${others.map((name, index) => `, CAST(${quote(name)} AS CHAR) AS other${index}`).join('')}
     FROM ${quote(table)} WHERE ${key} IN (?) AND ${value} IS NOT NULL ORDER BY ${key}`,
    [keys],
  );
  return rows.map((row) => ({
    ...row,
    others: new Map(others.map((name, index) => [name, row[`other${index}`] ?? ''])),
  }));
}

/** Reads one value; null when it is gone. */
export async function readValue(
  database: SiteDatabase,
  column: TableColumn,
  key: string,
): Promise<Buffer | null> {
  const [row] = await database.query<{ value: Buffer }>(
    `SELECT ${asBytes(column)} AS value FROM ${quote(database.settings.table)}
     WHERE ${quote(database.settings.key)} = ? AND ${quote(column.name)} IS NOT NULL`,
    [key],
  );
  return row?.value ?? null;
}

/**
 * Replaces a value whose digest is `before`: the condition is a part of the statement, so that nobody's change in between
 * is lost, with or without transactions.
 *
 * @returns whether it was replaced
 */
export async function updateValue(
  database: SiteDatabase,
  column: TableColumn,
  { key, before, next }: { key: string; before: string; next: Buffer },
): Promise<boolean> {
  const { table, key: keyName } = database.settings;
  const changed = await database.change(
    `UPDATE ${quote(table)} SET ${quote(column.name)} = ${column.charset === null ? '?' : 'CONVERT(? USING utf8mb4)'} WHERE ${quote(keyName)} = ? AND ${isSha256(before) ? `SHA2(${asUtf8(column)}, 256)` : `SHA1(${asUtf8(column)})`} = ?`,
    [next, key, before],
  );
  return changed > 0;
}

/** Edits of a value that was read with a digest. */
export interface ValueEdits extends Pick<ListedValue, 'digest'> {
  key: string;
  edits: readonly Edit[];
}

/** As text they would be compared as floating-point numbers, which are not exact. */
const WHOLE_KEYS = /^(?:tiny|small|medium|big)?int$/;
const WHOLE_KEY = /^-?\d{1,20}$/;
/** More would be nested too deeply for the database. */
const MAX_EDITS = 60;

/** Whether a value can be edited by {@link editValues}. */
export function canBeEdited(key: TableColumn, { key: value, edits }: ValueEdits): boolean {
  return WHOLE_KEYS.test(key.type) && WHOLE_KEY.test(value) && edits.length <= MAX_EDITS;
}

/**
 * Edits many values by one statement, which contains the edits and not the values. As in {@link updateValue}, the condition
 * makes sure that each of them still is what was read.
 *
 * @returns how many of them were; the others stay as they are
 */
export function editValues(
  database: SiteDatabase,
  column: TableColumn,
  changes: readonly ValueEdits[],
): Promise<number> {
  const { table, key } = database.settings;
  const bytes = asBytes(column);
  const texts: Buffer[] = [];
  const cases = changes.map(({ key: value, edits }) => {
    // From the last to the first, each at its place in what was read. The value itself is taken only once: its encoding is
    // checked each time.
    const afterEach = [...edits].reverse().map(({ from, to, after }) => {
      texts.push(Buffer.from(after, 'latin1'));
      return `, ${from + 1}, ${to - from}, ?)`;
    });
    return `WHEN ${BigInt(value)} THEN ${'INSERT('.repeat(edits.length)}${bytes}${afterEach.join('')}`;
  });
  const edited = `CASE ${quote(key)} ${cases.join(' ')} END`;
  const unchanged = changes.map(
    (one) => `(${quote(key)} = ${BigInt(one.key)} AND ${digestOf(database, column.name)} = ?)`,
  );
  return database.changeOnce(
    `UPDATE ${quote(table)} SET ${quote(column.name)} = ${isWorkedOnAsStored(column) ? edited : `CONVERT(${edited} USING utf8mb4)`}
     WHERE ${unchanged.join(' OR ')}`,
    [...texts, ...changes.map(({ digest }) => digest)],
  );
}

/** With its table: what is selected under the name of the key would be sorted by otherwise, and is a text. */
function keyOf({ settings: { table, key } }: SiteDatabase): string {
  return `${quote(table)}.${quote(key)}`;
}

/** Whether the bytes of a column are those that its values are worked on as. */
export function isWorkedOnAsStored({ charset }: TableColumn): boolean {
  return charset === null || IN_UTF8.test(charset);
}

function digestOf({ settings: { titleColumn } }: SiteDatabase, column: string): string {
  const value = quote(column);
  return titleColumn === null ? `SHA1(${value})` : `SHA1(CONCAT_WS('\\0', ${value}, ${quote(titleColumn)}))`;
}

/** Their bytes are UTF-8. */
const IN_UTF8 = /^utf8(?:mb[34])?$/;

/** The bytes of a value as they are worked on: those of a text in UTF-8, whatever the column is kept in. */
function asUtf8(column: TableColumn): string {
  const name = quote(column.name);
  return isWorkedOnAsStored(column) ? name : `CONVERT(${name} USING utf8mb4)`;
}

/** The same as bytes, which are only relabelled: a cast would check the encoding of the whole value first. */
function asBytes(column: TableColumn): string {
  return `CONVERT(${asUtf8(column)} USING binary)`;
}
