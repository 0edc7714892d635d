import {
  type Condition,
  dayNumber,
  type Filter,
  indexedWords,
  type NumberSpan,
  sizeClass,
  sizeClassFloor,
} from '@uniferum/core/library';
import { type Executor, escapeLike, type SqlValue, selectExpanded, selectOne } from '../shared/database.js';
import { filterOf, fullTextOf, hasShortWords, type Lookups } from './filter-sql.js';

type SizeCondition = NumberSpan & { field: 'size' };
type SideCondition = NumberSpan & { field: 'width' | 'height' | 'ratio' };

/** Counts the assets in folders from the folders' own counters. */
async function countInFolders(db: Executor, ids: readonly number[]): Promise<number> {
  if (ids.length === 0) return 0;
  const [row] = await selectExpanded<{ n: number | string | null }>(
    db,
    'SELECT SUM(items) AS n FROM folders WHERE id IN (?)',
    [ids],
  );
  return Number(row?.n ?? 0);
}

/** Counts all live assets from the stored counters. */
export async function countAll(db: Executor): Promise<number> {
  return sum(db, "scope = 'kind'", []);
}

/**
 * Counts the live assets that match a condition from stored counters: exactly, without reading the assets.
 *
 * @returns null for conditions without a counter
 */
export async function countCondition(
  db: Executor,
  condition: Condition,
  lookups: Lookups,
): Promise<number | null> {
  switch (condition.field) {
    case 'kind':
      return sum(db, "scope = 'kind' AND name IN (?)", [condition.values]);
    case 'type':
      return sum(
        db,
        `scope = 'mime' AND (${condition.mimes.map(() => 'name LIKE ?').join(' OR ')})`,
        condition.mimes.map((mime) =>
          mime.endsWith('/*') ? `${escapeLike(mime.slice(0, -1))}%` : escapeLike(mime),
        ),
      );
    case 'folder':
      return countInFolders(db, lookups.folders.get(condition.path) ?? []);
    case 'size':
      return countSizes(db, condition as SizeCondition);
    case 'width':
    case 'height':
    case 'ratio':
      return countNumbers(db, condition as SideCondition);
    case 'captured':
      return condition.span === null
        ? sum(db, "scope = 'missing' AND name = 'captured'", [])
        : countDays(db, 'captured', condition.span);
    case 'added':
      return countDays(db, 'added', condition.span);
    case 'updated':
      return null;
    case 'sha256':
      return countDigests(db, condition.prefix);
    case 'title':
    case 'alt':
    case 'caption':
    case 'credit':
    case 'keyword':
      return countTexts(db, condition);
    case 'words': {
      if (hasShortWords(condition.text)) return null;
      const [word, ...more] = indexedWords(condition.text);
      if (
        word === undefined ||
        more.length > 0 ||
        fullTextOf(condition.text, condition.isPhrase) !== `+${word}`
      )
        return null;
      return sum(db, "scope = 'word' AND name = ?", [word]);
    }
    case 'duplicate': {
      const row = await selectOne<{ n: number | string | null }>(
        db,
        'SELECT SUM(holders) AS n FROM blobs WHERE holders > 1',
      );
      const duplicates = Number(row?.n ?? 0);
      return condition.value ? duplicates : (await countAll(db)) - duplicates;
    }
    case 'near':
      return (lookups.near.get(`${condition.id},${condition.distance}`) ?? []).length;
    case 'plugged':
      return filterOf(lookups, condition.name).count(db, condition.value);
  }
}

/** Counts the results of a filter that consists of one condition with a counter, or its negation. */
export async function countKept(db: Executor, filter: Filter, lookups: Lookups): Promise<number | null> {
  if (filter.op === 'is') return countCondition(db, filter.condition, lookups);
  if (filter.op !== 'not') return null;
  const opposite = await countKept(db, filter.filter, lookups);
  return opposite === null ? null : (await countAll(db)) - opposite;
}

/** There are few, and an index leads to them. */
async function countDigests(db: Executor, prefix: string): Promise<number> {
  const row = await selectOne<{ n: number }>(
    db,
    'SELECT COUNT(*) AS n FROM assets FORCE INDEX (assets_blob) WHERE sha256 LIKE ? AND live = 1',
    [`${prefix}%`],
  );
  return row?.n ?? 0;
}

async function sum(db: Executor, where: string, values: (SqlValue | SqlValue[])[]): Promise<number> {
  const [row] = await selectExpanded<{ n: number | string | null }>(
    db,
    `SELECT SUM(items) AS n FROM facet_counts WHERE ${where}`,
    values,
  );
  return Number(row?.n ?? 0);
}

async function countTexts(
  db: Executor,
  { field, isFilled, contains }: Condition & { field: 'title' | 'alt' | 'caption' | 'credit' | 'keyword' },
): Promise<number | null> {
  if (contains !== null)
    return field === 'keyword' ? sum(db, "scope = 'keyword' AND name = ?", [contains]) : null;
  const lacking = await sum(db, "scope = 'missing' AND name = ?", [field]);
  return isFilled ? (await countAll(db)) - lacking : lacking;
}

/** Every width, height and thousandth of a ratio has its own counter. */
async function countNumbers(
  db: Executor,
  { field, min, max, isMinOpen, isMaxOpen }: SideCondition,
): Promise<number> {
  const scale = field === 'ratio' ? 1000 : 1;
  const parts = ['scope = ?'];
  const values: SqlValue[] = [field];
  if (min !== null) {
    parts.push(`num ${isMinOpen ? '>' : '>='} ?`);
    values.push(min * scale);
  }
  if (max !== null) {
    parts.push(`num ${isMaxOpen ? '<' : '<='} ?`);
    values.push(max * scale);
  }
  return sum(db, parts.join(' AND '), values);
}

/** Whole size classes are added up; only the class cut by a bound is counted in the index, which is a small part. */
async function countSizes(db: Executor, { min, max, isMinOpen, isMaxOpen }: SizeCondition): Promise<number> {
  const from = min === null ? null : isMinOpen ? min + 1 : min;
  const until = max === null ? null : isMaxOpen ? max : max + 1;
  return countSpan(
    db,
    { scope: 'size', column: 'bytes', index: 'all_assets_by_size' },
    {
      from,
      until,
      unitOf: sizeClass,
      floorOf: sizeClassFloor,
      toSql: (value) => value,
    },
  );
}

const DAY_MS = 86_400_000;

async function countDays(
  db: Executor,
  scope: 'captured' | 'added',
  { from, until }: { from: string | null; until: string | null },
): Promise<number> {
  const kept =
    scope === 'captured'
      ? { scope, column: 'captured_key', index: 'all_assets_by_captured' }
      : { scope, column: 'created_at', index: 'all_assets_by_created' };
  return countSpan(db, kept, {
    from: from === null ? null : Date.parse(from),
    until: until === null ? null : Date.parse(until),
    unitOf: (ms) => dayNumber(new Date(ms).toISOString()),
    floorOf: (day) => day * DAY_MS,
    toSql: (ms) => new Date(ms),
  });
}

interface Span {
  from: number | null;
  /** Excluded from it. */
  until: number | null;
  unitOf: (value: number) => number;
  floorOf: (unit: number) => number;
  toSql: (value: number) => SqlValue;
}

async function countSpan(
  db: Executor,
  kept: { scope: string; column: string; index: string },
  { from, until, unitOf, floorOf, toSql }: Span,
): Promise<number> {
  if (from !== null && until !== null && from >= until) return 0;
  const firstWhole = from === null ? null : floorOf(unitOf(from)) === from ? unitOf(from) : unitOf(from) + 1;
  const afterWhole = until === null ? null : unitOf(until);
  const inIndex = async (low: number, high: number) => {
    if (low >= high) return 0;
    const [row] = await selectExpanded<{ n: number }>(
      db,
      `SELECT COUNT(*) AS n FROM assets FORCE INDEX (${kept.index}) WHERE live = 1 AND ${kept.column} >= ? AND ${kept.column} < ?`,
      [toSql(low), toSql(high)],
    );
    return Number(row?.n ?? 0);
  };
  if (
    from !== null &&
    until !== null &&
    firstWhole !== null &&
    afterWhole !== null &&
    firstWhole > afterWhole
  )
    return inIndex(from, until);
  const parts = ['scope = ?'];
  const values: SqlValue[] = [kept.scope];
  if (firstWhole !== null) {
    parts.push('num >= ?');
    values.push(firstWhole);
  }
  if (afterWhole !== null) {
    parts.push('num < ?');
    values.push(afterWhole);
  }
  const [whole, begun, ended] = await Promise.all([
    sum(db, parts.join(' AND '), values),
    from === null || firstWhole === null ? 0 : inIndex(from, floorOf(firstWhole)),
    until === null || afterWhole === null ? 0 : inIndex(floorOf(afterWhole), until),
  ]);
  return whole + begun + ended;
}
