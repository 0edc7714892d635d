import {
  type BulkChange,
  type BulkDifference,
  type BulkOutcome,
  type BulkSubject,
  planBulkChange,
} from '@uniferum/core';
import type { Principal } from '../access/principal.js';
import { beginRestoral } from '../recipes/surplus.js';
import { addItems, beginRun, endIfEmpty } from '../runs/ledger.js';
import { findRun } from '../runs/queries.js';
import { type Database, type Executor, inTransaction } from '../shared/database.js';
import { notFound, UniferumError } from '../shared/errors.js';
import { type AssetRow, findAssets, textsOf } from './asset-queries.js';
import { listChanged } from './bulk-queries.js';
import { findIds, readySearch } from './find-pages.js';

/** Which assets a bulk job is about. */
export type Selection = { ids: string[] } | { q: string; folder: string; deep: boolean };

const PAGE = 2000;
const ASSETS_PER_ITEM = 100;
/** So many lines of a rehearsal are sent; its totals count all. */
const SHOWN_LINES = 200;

/** Lists the ids of a selection, in the order of arrival. */
export async function listSelected(db: Executor, selection: Selection): Promise<string[]> {
  if ('ids' in selection) return [...new Set(selection.ids)];
  const search = await readySearch(db, selection);
  const ids: string[] = [];
  for await (const some of findIds(db, search)) ids.push(...some.map(String));
  return ids;
}

/** One line of a rehearsal. */
export interface PlannedEdit extends BulkDifference {
  asset: string;
  name: string;
  folder: string;
}

export interface BulkPlan {
  items: PlannedEdit[];
  totals: { selected: number; changed: number; hasOne: number; noDate: number; same: number };
}

/** Works out what a bulk edit would change, without changing it; by the same planner as the real thing. */
export async function rehearseBulkEdit(
  db: Database,
  selection: Selection,
  change: BulkChange,
): Promise<BulkPlan> {
  const ids = await listSelected(db, selection);
  const items: PlannedEdit[] = [];
  const totals = { selected: 0, changed: 0, hasOne: 0, noDate: 0, same: 0 };
  for (let at = 0; at < ids.length; at += PAGE) {
    for (const row of await findAssets(db, ids.slice(at, at + PAGE).map(Number))) {
      if (row.live === null) continue;
      totals.selected += 1;
      const outcome = planFor(row, change);
      if (outcome.kind === 'changed') {
        totals.changed += 1;
        if (items.length < SHOWN_LINES)
          items.push({
            asset: String(row.id),
            name: row.name,
            folder: row.folder_path,
            before: outcome.before,
            after: outcome.after,
          });
      } else totals[REASON_TOTALS[outcome.reason]] += 1;
    }
  }
  return { items, totals };
}

export const REASON_TOTALS = { 'has-one': 'hasOne', 'no-date': 'noDate', same: 'same' } as const;

/** Works out what a bulk edit comes to for one asset. */
export function planFor(row: AssetRow, change: BulkChange): BulkOutcome {
  return planBulkChange(bulkSubject(row), change);
}

/** What of an asset a bulk edit reads and changes. */
export function bulkSubject(row: AssetRow): BulkSubject {
  return {
    ...textsOf(row),
    name: row.name,
    folder: row.folder_path,
    capturedAt: row.captured_at?.toISOString() ?? null,
  };
}

/** Begins to edit a selection. @returns the run's id */
export async function beginBulkEdit(
  db: Database,
  who: Principal,
  selection: Selection,
  change: BulkChange,
): Promise<string> {
  const ids = await listSelected(db, selection);
  return beginJob(db, who, ids, {
    kind: 'bulk-edit',
    title: `Editing ${count(ids)}`,
    inputOf: (some) => ({ ids: some, change }),
  });
}

/** What can be done with a whole selection beside editing it. */
export const BULK_ACTIONS = ['bin', 'restore', 'purge'] as const;
export type BulkAction = (typeof BULK_ACTIONS)[number];

const ACTION_TITLES: Record<BulkAction, string> = {
  bin: 'Putting into the bin:',
  restore: 'Restoring from the bin:',
  purge: 'Emptying the bin:',
};

/** Begins to bin, restore or purge assets. @returns the run's id */
export async function beginBulkAction(
  db: Database,
  who: Principal,
  ids: readonly string[],
  action: BulkAction,
): Promise<string> {
  return beginJob(db, who, ids, {
    kind: `bulk-${action}`,
    title: `${ACTION_TITLES[action]} ${count(ids)}`,
    inputOf: (some) => ({ ids: some }),
  });
}

/**
 * Begins to take back what a bulk job changed; what was changed again since stays.
 *
 * @throws UniferumError `not-found`, `conflict` when it can't be taken back
 */
export async function beginUndo(db: Database, who: Principal, runId: string): Promise<string> {
  const run = await findRun(db, runId);
  if (run === null) throw notFound(`Run ${runId}`);
  if (run.kind === 'surplus-remove') return beginRestoral(db, runId, who.name);
  if (run.kind !== 'bulk-edit' && run.kind !== 'bulk-bin')
    throw new UniferumError('conflict', `"${run.title}" is no job that can be taken back.`);
  if (run.state === 'working' || run.state === 'waiting' || run.state === 'stopping')
    throw new UniferumError('conflict', `"${run.title}" is still going on. Stop it first.`);
  const ids = await listChanged(db, runId);
  return beginJob(db, who, ids, {
    kind: 'bulk-undo',
    title: `Taking back: ${run.title}`,
    undoOf: runId,
    inputOf: (some) => ({ run: runId, ids: some }),
  });
}

interface Job {
  kind: 'bulk-edit' | 'bulk-undo' | `bulk-${BulkAction}`;
  title: string;
  undoOf?: string;
  inputOf: (ids: string[]) => object;
}

async function beginJob(db: Database, who: Principal, ids: readonly string[], job: Job): Promise<string> {
  return inTransaction(db, async (tx) => {
    const { kind, title, undoOf } = job;
    const run = await beginRun(tx, { kind, title, by: who.name, ...(undoOf !== undefined && { undoOf }) });
    const items = [];
    for (let at = 0; at < ids.length; at += ASSETS_PER_ITEM) {
      const some = ids.slice(at, at + ASSETS_PER_ITEM);
      items.push({
        key: `assets:${at}`,
        title: `${(at + 1).toLocaleString('en-GB')}–${(at + some.length).toLocaleString('en-GB')}`,
        input: job.inputOf(some) as never,
        weight: some.length,
      });
    }
    await addItems(tx, run, items);
    await endIfEmpty(tx, run);
    return run;
  });
}

function count(ids: readonly string[]): string {
  return `${ids.length.toLocaleString('en-GB')} ${ids.length === 1 ? 'asset' : 'assets'}`;
}
