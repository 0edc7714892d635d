import {
  type BulkChange,
  type BulkDifference,
  type BulkOutcome,
  type BulkSubject,
  planBulkChange,
  writeWithOffset,
} from '@uniferum/core/library';
import { inTransaction } from '../shared/database.js';
import { type AssetRow, findAssets, textsOf } from './asset-queries.js';
import { type AssetPatch, moveOf } from './assets.js';
import { findIds, resolveSearch } from './find-pages.js';
import { findObjections, prepareChanges } from './guards.js';
import type { AssetChange } from './joints.js';
import type { LibraryTools } from './tools.js';

/** The assets that a bulk job applies to. */
export type Selection = { ids: string[] } | { q: string; folder: string; deep: boolean };

const PAGE = 2000;
/** The maximum number of entries in a rehearsal's answer; its totals count all. */
const SHOWN_LINES = 200;

/** Lists the ids of a selection, in order of arrival. */
export async function listSelected(
  { db, joints }: Pick<LibraryTools, 'db' | 'joints'>,
  selection: Selection,
): Promise<string[]> {
  if ('ids' in selection) return [...new Set(selection.ids)];
  const search = await resolveSearch({ db, joints }, selection);
  const ids: string[] = [];
  for await (const some of findIds(db, search)) ids.push(...some.map(String));
  return ids;
}

/** One entry of a rehearsal. */
export interface PlannedEdit extends BulkDifference {
  asset: string;
  name: string;
  folder: string;
}

export interface BulkPlan {
  items: PlannedEdit[];
  /** The first that rules would not allow to be changed; they are left as they are. */
  blocked: BlockedAsset[];
  totals: {
    selected: number;
    changed: number;
    hasOne: number;
    noDate: number;
    dateLimit: number;
    same: number;
    blocked: number;
  };
}

/** Computes what a bulk edit would change, without changing it, with the same planner as the edit itself. */
export async function rehearseBulkEdit(
  tools: Pick<LibraryTools, 'db' | 'joints'>,
  selection: Selection,
  change: BulkChange,
): Promise<BulkPlan> {
  const ids = await listSelected(tools, selection);
  const items: PlannedEdit[] = [];
  const totals = { selected: 0, changed: 0, hasOne: 0, noDate: 0, dateLimit: 0, same: 0, blocked: 0 };
  const blocked: BlockedAsset[] = [];
  for (let at = 0; at < ids.length; at += PAGE) {
    const changes: AssetChange[] = [];
    for (const row of await findAssets(tools.db, ids.slice(at, at + PAGE).map(Number))) {
      if (row.live === null) continue;
      totals.selected += 1;
      const outcome = planFor(row, change);
      if (outcome.kind === 'changed') {
        totals.changed += 1;
        changes.push(judgedChange(row, outcome.after as AssetPatch));
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
    totals.blocked += await addBlocked(tools, changes, blocked);
  }
  return { items, blocked, totals };
}

/** What guards judge of an edit. */
function judgedChange(row: AssetRow, after: AssetPatch): AssetChange {
  const [move] = moveOf(row, after);
  if (move) return move;
  const texts = Object.fromEntries(Object.entries(after).filter(([field]) => field in textsOf(row)));
  return { kind: 'edit', row, texts: { ...textsOf(row), ...texts } };
}

/** Adds the assets whose changes a guard would not allow, up to what is shown. @returns how many there are */
async function addBlocked(
  { db, joints }: Pick<LibraryTools, 'db' | 'joints'>,
  changes: readonly AssetChange[],
  blocked: BlockedAsset[],
): Promise<number> {
  if (changes.length === 0) return 0;
  const prepared = await prepareChanges(joints, db, changes);
  const objections = await inTransaction(db, (tx) => findObjections(joints, tx, changes, prepared));
  const reasons = new Map(
    objections.filter(({ isBlocking }) => isBlocking).map((one) => [one.asset, one] as const),
  );
  for (const { asset, name, reason } of reasons.values())
    if (blocked.length < SHOWN_LINES) blocked.push({ asset, name, message: reason.message });
  return reasons.size;
}

export const REASON_TOTALS = {
  'has-one': 'hasOne',
  'no-date': 'noDate',
  'date-limit': 'dateLimit',
  same: 'same',
} as const;

/** An asset that would be left where it is, and why. */
export interface BlockedAsset {
  asset: string;
  name: string;
  message: string;
}

/** Computes which assets could not be moved to the bin without force, with the guards of the job itself. */
export async function rehearseBin(
  { db, joints }: Pick<LibraryTools, 'db' | 'joints'>,
  ids: readonly string[],
): Promise<{ blocked: BlockedAsset[]; totals: { selected: number; blocked: number } }> {
  const blocked: BlockedAsset[] = [];
  const totals = { selected: 0, blocked: 0 };
  for (let at = 0; at < ids.length; at += PAGE) {
    const rows = await findAssets(db, ids.slice(at, at + PAGE).map(Number));
    const changes = rows
      .filter(({ live }) => live !== null)
      .map((row): AssetChange => ({ kind: 'bin', row }));
    totals.selected += changes.length;
    totals.blocked += await addBlocked({ db, joints }, changes, blocked);
  }
  return { blocked, totals };
}

/** Plans a bulk edit for one asset. */
export function planFor(row: AssetRow, change: BulkChange): BulkOutcome {
  return planBulkChange(bulkSubject(row), change);
}

/** The part of an asset that a bulk edit reads and changes. */
export function bulkSubject(row: AssetRow): BulkSubject {
  return {
    ...textsOf(row),
    name: row.name,
    folder: row.folder_path,
    capturedAt:
      row.captured_at && writeWithOffset({ at: row.captured_at.toISOString(), offset: row.captured_offset }),
  };
}
