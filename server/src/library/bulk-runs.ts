import type { BulkChange } from '@uniferum/core/library';
import { beginGroupedRun } from '../runs/ledger.js';
import { defineRun, type UndoRun } from '../runs/run-kind.js';
import type { Database } from '../shared/database.js';
import type { Principal } from '../shared/principal.js';
import { listSelected, type Selection } from './bulk.js';
import { listChanged } from './bulk-queries.js';
import type { LibraryTools } from './tools.js';

const ASSETS_PER_ITEM = 100;

/** Undoes the changes of a bulk job; values changed again since then stay. */
const undoBulkJob: UndoRun = async (db, run, by) =>
  beginGroupedRun(
    db,
    bulkUndo,
    { title: `Undoing: ${run.title}`, by, undoOf: run.id },
    {
      subjects: await listChanged(db, run.id),
      perItem: ASSETS_PER_ITEM,
      inputOf: (ids) => ({ run: run.id, ids }),
    },
  );

export const bulkEdit = defineRun<{ ids: string[]; change: BulkChange }>({
  kind: 'bulk-edit',
  label: 'Edit assets',
  undo: undoBulkJob,
});
export const bulkBin = defineRun<{ ids: string[]; isForced?: boolean }>({
  kind: 'bulk-bin',
  label: 'Move assets to the bin',
  undo: undoBulkJob,
});
export const bulkRestore = defineRun<{ ids: string[] }>({
  kind: 'bulk-restore',
  label: 'Restore assets from the bin',
});
export const bulkPurge = defineRun<{ ids: string[] }>({ kind: 'bulk-purge', label: 'Empty the bin' });
export const bulkUndo = defineRun<{ run: string; ids: string[] }>({
  kind: 'bulk-undo',
  label: 'Undo a bulk job',
});

/** The library's run kinds. */
export const BULK_RUNS = [bulkEdit, bulkBin, bulkRestore, bulkPurge, bulkUndo] as const;

/** Starts editing a selection. @returns the run's id */
export async function beginBulkEdit(
  tools: Pick<LibraryTools, 'db' | 'joints'>,
  who: Principal,
  selection: Selection,
  change: BulkChange,
): Promise<string> {
  const ids = await listSelected(tools, selection);
  return beginGroupedRun(
    tools.db,
    bulkEdit,
    { title: `Editing ${count(ids)}${placeOf(selection)}`, by: who.name },
    {
      subjects: ids,
      perItem: ASSETS_PER_ITEM,
      inputOf: (some) => ({ ids: some, change }),
    },
  );
}

function placeOf(selection: Selection): string {
  return 'folder' in selection && selection.folder !== '/' ? ` in ${selection.folder}` : '';
}

/** Bulk actions other than editing. */
export const BULK_ACTIONS = ['bin', 'restore', 'purge'] as const;
export type BulkAction = (typeof BULK_ACTIONS)[number];

const ACTIONS = {
  bin: { kind: bulkBin, title: (files: string) => `Moving ${files} to the bin` },
  restore: { kind: bulkRestore, title: (files: string) => `Restoring ${files} from the bin` },
  purge: { kind: bulkPurge, title: (files: string) => `Deleting ${files} permanently` },
} as const;

/**
 * Starts binning, restoring or purging assets.
 *
 * @param how.isForced whether those that pages use are moved to the bin as well
 * @returns the run's id
 */
export async function beginBulkAction(
  db: Database,
  who: Principal,
  ids: readonly string[],
  { action, isForced }: { action: BulkAction; isForced: boolean },
): Promise<string> {
  const { kind, title } = ACTIONS[action];
  return beginGroupedRun(
    db,
    kind,
    { title: title(count(ids)), by: who.name },
    {
      subjects: ids,
      perItem: ASSETS_PER_ITEM,
      inputOf: (some) => ({ ids: some, ...(isForced && { isForced }) }),
    },
  );
}

function count(ids: readonly string[]): string {
  return `${ids.length.toLocaleString('en-GB')} ${ids.length === 1 ? 'asset' : 'assets'}`;
}
