import { recordEvents } from '../hooks/outbox.js';
import type { RunHandler, RunInputs } from '../runs/handler.js';
import type { EndCounts } from '../runs/lease-queries.js';
import { findRun } from '../runs/queries.js';
import type { Transaction } from '../shared/database.js';
import { UniferumError } from '../shared/errors.js';
import { type AssetRow, holdAssets } from './asset-queries.js';
import { type AssetChange, binHeldAsset, changeHeldAsset, restoreHeldAsset } from './assets.js';
import { purgeAssets } from './bin-queries.js';
import { bulkSubject, planFor } from './bulk.js';
import { insertChanges, lockChange, markUndone, type RememberedChange } from './bulk-queries.js';

/** Who a run works for, as events say it. */
const BY = 'a bulk job';

/** What came of one asset; a text says why it was left as it was. */
type Outcome = { kind: 'done'; before?: object; after?: object } | { kind: 'left'; why: string };

/** Makes the handler of a bulk job: everything happens in the transaction that ends the item, so it happens once. */
function bulkHandler<Input extends { ids: string[] }>(
  carryOut: (tx: Transaction, row: AssetRow, input: Input) => Promise<Outcome>,
  options: { remembers?: boolean } = {},
): RunHandler<Input> {
  return {
    work: async (input, { runId }) => ({
      outcome: 'done',
      record: async (tx) => {
        const rows = await holdAssets(tx, input.ids);
        const why = new Map<string, number>();
        const changes: RememberedChange[] = [];
        for (const row of rows) {
          const outcome = await attempt(() => carryOut(tx, row, input));
          if (outcome.kind === 'left') why.set(outcome.why, (why.get(outcome.why) ?? 0) + 1);
          else changes.push({ assetId: row.id, before: outcome.before ?? {}, after: outcome.after ?? {} });
        }
        if (options.remembers) await insertChanges(tx, runId, changes);
        return summarise(input.ids.length, changes.length, why);
      },
    }),
  };
}

/** A refusal by a rule leaves one asset as it is and ends nothing else. */
async function attempt(work: () => Promise<Outcome>): Promise<Outcome> {
  try {
    return await work();
  } catch (error) {
    if (error instanceof UniferumError && error.status < 500) return { kind: 'left', why: error.message };
    throw error;
  }
}

function summarise(
  total: number,
  done: number,
  why: ReadonlyMap<string, number>,
): EndCounts & { note: string } {
  const left = [...why].map(([reason, times]) => `${times} left: ${reason}`);
  return {
    done,
    skipped: total - done,
    failed: 0,
    note: [`${done} changed`, ...left].join('; ').slice(0, 2000),
  };
}

const WORDS = { 'has-one': 'already had one', 'no-date': 'no capture date', same: 'already so' } as const;

export const bulkEditHandler = bulkHandler<RunInputs['bulk-edit']>(
  async (tx, row, { change }) => {
    if (row.live === null) return { kind: 'left', why: 'in the bin' };
    const outcome = planFor(row, change);
    if (outcome.kind === 'unchanged') return { kind: 'left', why: WORDS[outcome.reason] };
    await changeHeldAsset(tx, row, outcome.after as AssetChange, BY);
    return { kind: 'done', before: outcome.before, after: outcome.after };
  },
  { remembers: true },
);

export const bulkBinHandler = bulkHandler<RunInputs['bulk-bin']>(
  async (tx, row) => {
    if (row.live === null) return { kind: 'left', why: 'in the bin already' };
    await binHeldAsset(tx, row, BY);
    return { kind: 'done' };
  },
  { remembers: true },
);

export const bulkRestoreHandler = bulkHandler<RunInputs['bulk-restore']>(async (tx, row) => {
  if (row.live !== null) return { kind: 'left', why: 'not in the bin' };
  await restoreHeldAsset(tx, row, BY);
  return { kind: 'done' };
});

export const bulkPurgeHandler = bulkHandler<RunInputs['bulk-purge']>(async (tx, row) => {
  if (row.live !== null) return { kind: 'left', why: 'not in the bin' };
  await purgeAssets(tx, [String(row.id)]);
  await recordEvents(tx, [{ type: 'asset.purged', by: BY, data: { id: String(row.id), name: row.name } }]);
  return { kind: 'done' };
});

export const bulkUndoHandler = bulkHandler<RunInputs['bulk-undo']>(async (tx, row, { run }) => {
  const change = await lockChange(tx, run, row.id);
  if (!change) return { kind: 'left', why: 'taken back already' };
  const source = await findRun(tx, run);
  if (source?.kind === 'bulk-bin') {
    if (row.live !== null) return { kind: 'left', why: 'restored already' };
    await restoreHeldAsset(tx, row, BY);
  } else {
    if (row.live === null) return { kind: 'left', why: 'in the bin' };
    const { before, after } = change;
    const now: Record<string, unknown> = { ...bulkSubject(row) };
    const back = Object.fromEntries(
      Object.entries(before).filter(([field]) => JSON.stringify(now[field]) === JSON.stringify(after[field])),
    );
    if (Object.keys(back).length === 0) return { kind: 'left', why: 'changed again since' };
    await changeHeldAsset(tx, row, back as AssetChange, BY);
  }
  await markUndone(tx, run, row.id);
  return { kind: 'done' };
});
