import type { AssetSort } from '@uniferum/core/library';
import { cutPage, readCursor } from '../shared/cursor.js';
import { type Executor, type SqlValue, select } from '../shared/database.js';
import { readPosition, SORTS } from './asset-sorts.js';

/**
 * Up to this many folders are each read from their own index range and merged; beyond, the index over all folders is
 * scanned.
 */
const MAX_MERGED_FOLDERS = 40;

interface IdRow {
  id: number;
  sort_key: Date | string | number;
}

export interface PageRequest {
  /** The folders to read; null for all. */
  folders: readonly string[] | null;
  sort: AssetSort;
  limit: number;
  cursor: string | undefined;
}

/**
 * Finds the ids of one page of live assets in an index, without reading the rows: with a plain query the optimiser
 * may switch to a plan that reads the whole folder. The comparison is written out, because a row constructor `(a, b)
 * < (?, ?)` does not use the index.
 */
export async function findPageIds(
  db: Executor,
  { folders, sort, limit, cursor }: PageRequest,
): Promise<{ ids: number[]; next: string | null }> {
  const isDescending = sort.startsWith('-');
  const spec = SORTS[sort.replace('-', '') as keyof typeof SORTS];
  const after = cursor === undefined ? null : readPosition(readCursor(cursor, 2), spec);
  const direction = isDescending ? 'DESC' : 'ASC';
  const compare = isDescending ? '<' : '>';
  const position = after
    ? `AND (${spec.column} ${compare} ? OR (${spec.column} = ? AND id ${compare} ?))`
    : '';
  const positionValues: SqlValue[] = after ? [after.key, after.key, after.id] : [];
  const order = `ORDER BY ${spec.column} ${direction}, id ${direction} LIMIT ?`;

  const read = (index: string, where: string, values: SqlValue[]) =>
    select<IdRow>(
      db,
      `SELECT id, ${spec.column} AS sort_key FROM assets FORCE INDEX (${index}) WHERE ${where} live = 1 ${position} ${order}`,
      [...values, ...positionValues, limit + 1],
    );

  let rows: IdRow[];
  if (folders === null) rows = await read(spec.globalIndex, '', []);
  else if (folders.length <= MAX_MERGED_FOLDERS) {
    const pages = await Promise.all(folders.map((folder) => read(spec.index, 'folder_id = ? AND', [folder])));
    rows = pages
      .flat()
      .sort((a, b) => (isDescending ? -1 : 1) * (compareKeys(a.sort_key, b.sort_key) || a.id - b.id))
      .slice(0, limit + 1);
  } else
    rows = await read(spec.globalIndex, `folder_id IN (${folders.map(() => '?').join(', ')}) AND`, [
      ...folders,
    ]);

  const page = cutPage(rows, limit, ({ id, sort_key }) => [
    sort_key instanceof Date ? sort_key.toISOString() : sort_key,
    id,
  ]);
  return { ids: page.rows.map(({ id }) => id), next: page.next };
}

function compareKeys(a: IdRow['sort_key'], b: IdRow['sort_key']): number {
  if (typeof a === 'string' && typeof b === 'string') return Buffer.compare(Buffer.from(a), Buffer.from(b));
  return Number(a) - Number(b);
}
