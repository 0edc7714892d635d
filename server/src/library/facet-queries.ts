import { type FacetSubject, facetsOf } from '@uniferum/core/library';
import type { Drift } from '../shared/count-checks.js';
import {
  change,
  changeExpanded,
  type Database,
  type Executor,
  select,
  selectExpanded,
} from '../shared/database.js';
import { type AssetRow, textsOf } from './asset-queries.js';
import { filterToSql, joinConditions } from './filter-sql.js';
import { resolveSearch, type Search } from './find-pages.js';
import type { LibraryTools } from './tools.js';

/** An asset that is added to the counters (1) or removed from them (-1). */
export interface CountedAsset {
  subject: FacetSubject;
  sign: 1 | -1;
}

/** Updates the stored counters in the transaction that changes the assets. */
export async function countFacets(tx: Executor, assets: readonly CountedAsset[]): Promise<void> {
  const sums = new Map<string, { scope: string; name: string; num: number | null; items: number }>();
  for (const { subject, sign } of assets) {
    for (const { scope, name, num } of facetsOf(subject)) {
      const key = `${scope} ${name}`;
      const sum = sums.get(key) ?? { scope, name, num, items: 0 };
      sum.items += sign;
      sums.set(key, sum);
    }
  }
  // A fixed order prevents deadlocks.
  const rows = [...sums.entries()]
    .filter(([, { items }]) => items !== 0)
    .sort(([a], [b]) => (a < b ? -1 : 1))
    .map(([, { scope, name, num, items }]) => [scope, name, num, items]);
  if (rows.length === 0) return;
  await changeExpanded(
    tx,
    'INSERT INTO facet_counts (scope, name, num, items) VALUES ? ON DUPLICATE KEY UPDATE items = items + VALUES(items)',
    [rows],
  );
}

interface CountedRow
  extends Pick<
    AssetRow,
    'id' | 'name' | 'kind' | 'mime' | 'bytes' | 'width' | 'height' | 'captured_at' | 'created_at' | TextColumn
  > {
  store?: string | null;
}

type TextColumn = 'title' | 'alt' | 'caption' | 'credit' | 'keywords';

/** Lists the facet values of an asset row. */
export function facetSubject(row: CountedRow, store: string | null): FacetSubject {
  return {
    name: row.name,
    kind: row.kind,
    mime: row.mime,
    bytes: row.bytes,
    width: row.width,
    height: row.height,
    ...textsOf(row),
    capturedAt: row.captured_at?.toISOString() ?? null,
    createdAt: row.created_at.toISOString(),
    store,
  };
}

const RECOUNT_ROWS = 2000;

/** Recounts everything, for databases older than the counters. */
export async function recountFacets(db: Database): Promise<void> {
  await change(db, 'DELETE FROM facet_counts');
  for await (const subjects of readSubjects(db))
    await countFacets(
      db,
      subjects.map((subject) => ({ subject, sign: 1 })),
    );
}

async function* readSubjects(db: Executor): AsyncGenerator<FacetSubject[]> {
  for (let after = 0; ; ) {
    const rows = await selectExpanded<CountedRow>(
      db,
      `SELECT assets.id, assets.name, kind, mime, assets.bytes, width, height, title, alt, caption, credit, keywords, captured_at, assets.created_at,
              (SELECT store FROM copies WHERE copies.sha256 = assets.sha256 ORDER BY store LIMIT 1) AS store
       FROM assets
       WHERE live = 1 AND assets.id > ?
       ORDER BY assets.id
       LIMIT ?`,
      [after, RECOUNT_ROWS],
    );
    yield rows.map((row) => facetSubject(row, row.store ?? null));
    const last = rows.at(-1);
    if (!last || rows.length < RECOUNT_ROWS) return;
    after = last.id;
  }
}

/** A counter that is off, and by how much to correct it. */
export interface FacetDrift extends Drift {
  scope: string;
  name: string;
  num: number | null;
}

/** Finds incorrect counters; everything is read in one snapshot of the database. */
export async function findFacetDrifts(snapshot: Executor): Promise<FacetDrift[]> {
  const differences = new Map<string, FacetDrift>();
  const add = (scope: string, name: string, num: number | null, items: number) => {
    const what = `${scope} ${name}`;
    const drift = differences.get(what) ?? { what, scope, name, num, items: 0, bytes: 0 };
    drift.items += items;
    if (drift.items === 0) differences.delete(what);
    else differences.set(what, drift);
  };
  const kept = await select<{ scope: string; name: string; num: number | null; items: number }>(
    snapshot,
    'SELECT scope, name, num, items FROM facet_counts WHERE items <> 0 LIMIT 10000000',
  );
  for (const { scope, name, num, items } of kept) add(scope, name, num, -items);
  for await (const subjects of readSubjects(snapshot))
    for (const subject of subjects)
      for (const { scope, name, num } of facetsOf(subject)) add(scope, name, num, 1);
  return [...differences.values()];
}

export async function repairFacets(tx: Executor, drifts: readonly FacetDrift[]): Promise<void> {
  const rows = drifts.map(({ scope, name, num, items }) => [scope, name, num, items]);
  for (let at = 0; at < rows.length; at += RECOUNT_ROWS)
    await changeExpanded(
      tx,
      'INSERT INTO facet_counts (scope, name, num, items) VALUES ? ON DUPLICATE KEY UPDATE items = items + VALUES(items)',
      [rows.slice(at, at + RECOUNT_ROWS)],
    );
}

const SHOWN_WORDS = 40;

interface FacetRow {
  name: string;
  items: number;
}

/** The most frequent values of a facet. */
async function topFacets(db: Executor, scope: string, limit: number): Promise<FacetRow[]> {
  const rows = await select<FacetRow>(
    db,
    'SELECT name, items FROM facet_counts WHERE scope = ? AND items > 0 ORDER BY items DESC, name LIMIT ?',
    [scope, limit],
  );
  return rows.map(({ name, items }) => ({ name, items: Number(items) }));
}

async function months(db: Executor): Promise<FacetRow[]> {
  const rows = await select<FacetRow>(
    db,
    `SELECT DATE_FORMAT(DATE'1970-01-01' + INTERVAL num DAY, '%Y-%m') AS name, SUM(items) AS items
     FROM facet_counts WHERE scope = 'captured' AND items > 0 GROUP BY 1 ORDER BY 1 LIMIT 5000`,
  );
  return rows.map(({ name, items }) => ({ name, items: Number(items) }));
}

/** Counts search results by a few facets; for the whole library from the stored counters. */
export async function readFacets(tools: Pick<LibraryTools, 'db' | 'joints'>, search: Search) {
  const { db } = tools;
  const ready = await resolveSearch(tools, search);
  if (ready.parts.length === 0)
    return {
      kinds: await topFacets(db, 'kind', 20),
      types: await topFacets(db, 'mime', SHOWN_WORDS),
      keywords: await topFacets(db, 'keyword', SHOWN_WORDS),
      credits: await topFacets(db, 'credit', SHOWN_WORDS),
      captured: await months(db),
    };
  const { sql, values } = joinConditions(
    'and',
    ready.parts.map((part) => filterToSql(part, ready.lookups)),
  );
  const group = async (
    expression: string,
    from = 'assets',
    order = 'items DESC, name',
    limit = SHOWN_WORDS,
  ) => {
    const rows = await selectExpanded<FacetRow>(
      db,
      `SELECT ${expression} AS name, COUNT(*) AS items FROM ${from}
       WHERE assets.live = 1 AND ${sql} AND ${expression} IS NOT NULL
       GROUP BY 1 ORDER BY ${order} LIMIT ${limit}`,
      values,
    );
    return rows.map(({ name, items }) => ({ name, items: Number(items) }));
  };
  const [kinds, types, keywords, credits, captured] = await Promise.all([
    group('assets.kind'),
    group('assets.mime'),
    group('asset_keywords.keyword', 'assets JOIN asset_keywords ON asset_keywords.asset_id = assets.id'),
    group('assets.credit'),
    group("DATE_FORMAT(assets.captured_at, '%Y-%m')", 'assets', 'name', 5000),
  ]);
  return { kinds, types, keywords, credits, captured };
}

/** How many live assets have a value of a facet. */
export async function countFacet(db: Executor, scope: string, name: string): Promise<number> {
  const [row] = await select<{ items: number | string | null }>(
    db,
    'SELECT SUM(items) AS items FROM facet_counts WHERE scope = ? AND name = ?',
    [scope, name],
  );
  return Number(row?.items ?? 0);
}
