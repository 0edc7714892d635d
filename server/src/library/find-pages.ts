import { type AssetSort, type Condition, type Filter, parseFilter } from '@uniferum/core/library';
import { cutPage, readCursor } from '../shared/cursor.js';
import { type Executor, selectExpanded } from '../shared/database.js';
import { UniferumError } from '../shared/errors.js';
import { readPosition, SORTS, type SortSpec } from './asset-sorts.js';
import { countAll, countCondition, countKept } from './filter-counts.js';
import {
  conditionsOf,
  filterOf,
  filterToSql,
  fullTextOf,
  joinConditions,
  type Lookups,
} from './filter-sql.js';
import { listFoldersWithin } from './folder-queries.js';
import type { Driver, SqlCondition } from './joints.js';
import { findNear } from './similar-queries.js';
import type { LibraryTools } from './tools.js';

/** A search: a filter within a folder. */
export interface Search {
  q: string;
  folder: string;
  /** Includes subfolders. */
  deep: boolean;
}

/** A parsed search, with everything that had to be looked up for it. */
export interface ResolvedSearch {
  /** Conditions that must all match. */
  parts: Filter[];
  lookups: Lookups;
}

/**
 * Parses a search and looks up its folders and similar pictures.
 *
 * @throws UniferumError `malformed-request` with the position in the filter and a suggestion
 */
export async function resolveSearch(
  { db, joints: { filters } }: Pick<LibraryTools, 'db' | 'joints'>,
  { q, folder, deep }: Search,
): Promise<ResolvedSearch> {
  const parsed = parseFilter(
    q,
    Date.now(),
    filters.map(({ field }) => field),
  );
  if (!parsed.ok) {
    const { position, length, message, suggestion } = parsed.error;
    throw new UniferumError(
      'malformed-request',
      `Invalid filter at character ${position + 1}: ${sentence(message)}${suggestion === null ? '' : ` Perhaps: ${suggestion}`}`,
      { errors: [{ field: 'q', code: 'filter', message, position, length, suggestion }] },
    );
  }
  const { filter } = parsed;
  const parts: Filter[] = filter === null ? [] : filter.op === 'and' ? filter.filters : [filter];
  if (folder !== '/' || !deep) parts.push({ op: 'is', condition: { field: 'folder', path: folder } });
  const folders = new Map<string, number[]>();
  const near = new Map<string, number[]>();
  for (const condition of parts.flatMap(conditionsOf)) {
    if (condition.field === 'folder') {
      const within = await listFoldersWithin(db, condition.path);
      const isShallow = !deep && condition.path === folder;
      folders.set(
        condition.path,
        within.filter(({ path }) => !isShallow || path === folder).map(({ id }) => Number(id)),
      );
    }
    if (condition.field === 'near')
      near.set(`${condition.id},${condition.distance}`, await findNear(db, condition.id, condition.distance));
  }
  return { parts, lookups: { folders, near, filters } };
}

/**
 * Reading a candidate of a condition costs about as much as scanning an entry of the sort index, and a page is full
 * after scanning `PAGE × all / candidates` entries. So reading the candidates is cheaper up to the square root of
 * `PAGE × all`.
 */
function fewCandidates(all: number): number {
  return Math.max(200, Math.sqrt(TYPICAL_PAGE * all));
}
const TYPICAL_PAGE = 60;

/** Where reading starts: at a condition that matches few assets, or in the sort index. */
interface Access {
  from: string;
  conditions: SqlCondition;
}

interface PageWanted {
  sort: AssetSort;
  limit: number;
  cursor: string | undefined;
}

export interface FoundPage {
  ids: number[];
  next: string | null;
  total: number;
}

/**
 * Finds one page of a search, and the total. The stored counters tell how many assets match each condition: a rare
 * one is read through its own index and sorted, otherwise the sort index is scanned. A search with a single condition
 * takes its total from the counters, too.
 */
export async function findPage(
  db: Executor,
  { parts, lookups }: ResolvedSearch,
  { sort, limit, cursor }: PageWanted,
): Promise<FoundPage> {
  const access = await chooseAccess(db, parts, lookups, sort);
  const [page, total] = await Promise.all([
    readPage(db, access, { sort, limit, cursor }),
    countSearch(db, { parts, lookups }, access),
  ]);
  return { ...page, total };
}

/** Finds all results of a search in order of arrival, in batches, without counting them. */
export async function* findIds(db: Executor, { parts, lookups }: ResolvedSearch): AsyncGenerator<number[]> {
  const access = await chooseAccess(db, parts, lookups, 'created');
  for (let cursor: string | undefined; ; ) {
    const { ids, next } = await readPage(db, access, { sort: 'created', limit: IDS_AT_A_TIME, cursor });
    yield ids;
    if (next === null) return;
    cursor = next;
  }
}
const IDS_AT_A_TIME = 2000;

async function readPage(
  db: Executor,
  access: Access,
  { sort, limit, cursor }: PageWanted,
): Promise<Omit<FoundPage, 'total'>> {
  const spec = specOf(sort);
  const isDescending = sort.startsWith('-');
  const after = cursor === undefined ? null : readPosition(readCursor(cursor, 2), spec);
  const compare = isDescending ? '<' : '>';
  const direction = isDescending ? 'DESC' : 'ASC';
  const column = `assets.${spec.column}`;
  const position = after ? `AND (${column} ${compare} ? OR (${column} = ? AND assets.id ${compare} ?))` : '';
  const rows = await selectExpanded<{ id: number; sort_key: Date | string | number }>(
    db,
    `SELECT assets.id, ${column} AS sort_key FROM ${access.from}
     WHERE assets.live = 1 AND ${access.conditions.sql} ${position}
     ORDER BY ${column} ${direction}, assets.id ${direction}
     LIMIT ?`,
    [...access.conditions.values, ...(after ? [after.key, after.key, after.id] : []), limit + 1],
  );
  const cut = cutPage(rows, limit, ({ id, sort_key }) => [
    sort_key instanceof Date ? sort_key.toISOString() : sort_key,
    id,
  ]);
  return { ids: cut.rows.map(({ id }) => id), next: cut.next };
}

function specOf(sort: AssetSort): SortSpec {
  return SORTS[sort.replace('-', '') as keyof typeof SORTS];
}

/** Counts the results of a search. */
async function countSearch(
  db: Executor,
  { parts, lookups }: ResolvedSearch,
  access: Access,
): Promise<number> {
  const [only, ...more] = parts;
  if (only === undefined) return countAll(db);
  const kept = more.length === 0 ? await countKept(db, only, lookups) : null;
  if (kept !== null) return kept;
  const [row] = await selectExpanded<{ n: number }>(
    db,
    `SELECT COUNT(*) AS n FROM ${access.from} WHERE assets.live = 1 AND ${access.conditions.sql}`,
    access.conditions.values,
  );
  return Number(row?.n ?? 0);
}

async function chooseAccess(
  db: Executor,
  parts: readonly Filter[],
  lookups: Lookups,
  sort: AssetSort,
): Promise<Access> {
  const spec = specOf(sort);
  const counted = await Promise.all(
    parts.map(async (part) => ({
      part,
      count: part.op === 'is' ? await countCondition(db, part.condition, lookups) : null,
    })),
  );
  const few = fewCandidates(await countAll(db));
  const rarest = counted
    .filter(({ count }) => count !== null && count <= few)
    .sort((a, b) => Number(a.count) - Number(b.count))[0];
  const all = (some: typeof counted, words: 'index' | 'row') =>
    some.map(({ part }) => filterToSql(part, lookups, words));
  if (rarest?.part.op === 'is' && rarest.part.condition.field !== 'words') {
    const driver = driverOf(rarest.part.condition, lookups);
    const others = counted.filter((one) => one !== rarest || !driver.isComplete);
    return {
      from: driver.from,
      conditions: joinConditions('and', [...(driver.where ? [driver.where] : []), ...all(others, 'row')]),
    };
  }
  // Words that are rare or have no counter are found in the full-text index; common ones while scanning.
  const isForIndex = ({ part, count }: (typeof counted)[number]) =>
    isIndexedWords(part) && (count === null || count <= few);
  if (counted.some(isForIndex)) {
    const inIndex = counted.filter(isForIndex);
    const inRow = counted.filter((one) => !isForIndex(one));
    return {
      from: 'assets',
      conditions: joinConditions('and', [...all(inIndex, 'index'), ...all(inRow, 'row')]),
    };
  }
  const [only] = parts;
  const folderIds =
    parts.length === 1 && only?.op === 'is' && only.condition.field === 'folder'
      ? (lookups.folders.get(only.condition.path) ?? [])
      : [];
  const index = folderIds.length === 1 ? spec.index : spec.globalIndex;
  return { from: `assets FORCE INDEX (${index})`, conditions: joinConditions('and', all(counted, 'row')) };
}

function isIndexedWords(part: Filter): boolean {
  return (
    part.op === 'is' &&
    part.condition.field === 'words' &&
    fullTextOf(part.condition.text, part.condition.isPhrase) !== null
  );
}

const INDEXES: Partial<Record<Condition['field'], string>> = {
  kind: 'assets_by_kind',
  type: 'assets_by_mime',
  folder: 'assets_by_created',
  size: 'all_assets_by_size',
  width: 'assets_by_width',
  height: 'assets_by_height',
  ratio: 'assets_by_ratio',
  captured: 'all_assets_by_captured',
  added: 'all_assets_by_created',
  sha256: 'assets_blob',
  near: 'PRIMARY',
};

/** How to read the assets that match a rare condition. */
function driverOf(condition: Condition, lookups: Lookups): Driver {
  const index = INDEXES[condition.field];
  if (condition.field === 'captured' && condition.span === null) return lacking(32);
  if (index) return { from: `assets FORCE INDEX (${index})`, where: null, isComplete: false };
  switch (condition.field) {
    case 'keyword':
      if (condition.contains !== null)
        return {
          from: 'asset_keywords AS driver STRAIGHT_JOIN assets ON assets.id = driver.asset_id',
          where: { sql: 'driver.keyword = ?', values: [condition.contains] },
          isComplete: true,
        };
      break;
    case 'plugged': {
      const driver = filterOf(lookups, condition.name).driver?.(condition.value);
      if (driver) return driver;
      break;
    }
    case 'duplicate':
      if (condition.value)
        return {
          from: 'blobs AS driver FORCE INDEX (blobs_holders) STRAIGHT_JOIN assets FORCE INDEX (assets_blob) ON assets.sha256 = driver.sha256',
          where: { sql: 'driver.holders > 1', values: [] },
          isComplete: true,
        };
      break;
    case 'title':
    case 'alt':
    case 'caption':
    case 'credit':
      break;
    default:
  }
  const bits = { title: 1, alt: 2, caption: 4, credit: 8, keyword: 16 } as const;
  if (condition.field in bits) {
    const { isFilled } = condition as Condition & { field: keyof typeof bits };
    return lacking(bits[condition.field as keyof typeof bits], isFilled);
  }
  return { from: 'assets', where: null, isComplete: false };
}

const BIT_FIELD_VALUES = Array.from({ length: 64 }, (_, value) => value);

/** Assets with or without a missing field: the matching values of the bit field. */
function lacking(bit: number, isFilled = false): Driver {
  const values = BIT_FIELD_VALUES.filter((value) => ((value & bit) === 0) === isFilled);
  return {
    from: 'assets FORCE INDEX (assets_by_missing)',
    where: { sql: 'assets.missing_fields IN (?)', values: [values] },
    isComplete: true,
  };
}

/** A question keeps its mark. */
function sentence(text: string): string {
  return text.endsWith('?') ? text : `${text}.`;
}
