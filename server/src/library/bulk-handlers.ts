import type { BoundRun, RunHandler } from '../runs/handler.js';
import type { EndCounts } from '../runs/lease-queries.js';
import { findRun } from '../runs/queries.js';
import type { RunKind } from '../runs/run-kind.js';
import type { Transaction } from '../shared/database.js';
import { isUnfitValue } from '../shared/database-errors.js';
import { UniferumError } from '../shared/errors.js';
import { type AssetRow, findAssets, holdAssets } from './asset-queries.js';
import { type AssetPatch, changeHeldAsset, moveOf } from './assets.js';
import { binHeldAsset, purgeHeldAsset, restoralOf, restoreHeldAsset } from './bin-asset.js';
import { bulkSubject, planFor } from './bulk.js';
import { findChange, insertChanges, lockChange, markUndone, type RememberedChange } from './bulk-queries.js';
import { bulkBin, bulkEdit, bulkPurge, bulkRestore, bulkUndo } from './bulk-runs.js';
import { type Preparation, prepareChanges } from './guards.js';
import type { AssetChange, Joints } from './joints.js';
import { lockFor } from './listeners.js';
import type { LibraryTools } from './tools.js';

/** Who a run works for, as recorded in events. */
const BY = 'a bulk job';

/** The result for one asset; a text explains why it was left unchanged. */
type Outcome = { kind: 'done'; before?: object; after?: object } | { kind: 'left'; why: string };

/** Context for processing one asset. */
interface Work<Input> {
  joints: Joints;
  input: Input;
  prepared: Preparation;
}

interface BulkJob<Input> {
  /** Lists the changes for which guards prepare, before anything is locked. */
  foresee?(rows: readonly AssetRow[], input: Input, tools: BulkTools): Promise<AssetChange[]>;
  apply(tx: Transaction, row: AssetRow, work: Work<Input>): Promise<Outcome>;
  /** Stores what it changed, so that it can be undone. */
  remembers?: boolean;
}

type BulkTools = Pick<LibraryTools, 'db' | 'joints'>;

/** Creates the handler of a bulk job: all changes happen in the transaction that ends the item, so they happen once. */
function bulkHandler<Input extends { ids: string[] }>(
  tools: BulkTools,
  { foresee, apply, remembers = false }: BulkJob<Input>,
): RunHandler<Input> {
  const { db, joints } = tools;
  return {
    work: async (input, { runId }) => {
      const changes = (await foresee?.(await findAssets(db, input.ids.map(Number)), input, tools)) ?? [];
      const prepared = await prepareChanges(joints, db, changes);
      return {
        outcome: 'done',
        record: async (tx) => {
          await lockFor(joints, tx, { ids: input.ids });
          const rows = await holdAssets(tx, input.ids);
          const why = new Map<string, number>();
          const done: RememberedChange[] = [];
          for (const row of rows) {
            const outcome = await attempt(tx, () => apply(tx, row, { joints, input, prepared }));
            if (outcome.kind === 'left') why.set(outcome.why, (why.get(outcome.why) ?? 0) + 1);
            else done.push({ assetId: row.id, before: outcome.before ?? {}, after: outcome.after ?? {} });
          }
          if (remembers) await insertChanges(tx, runId, done);
          return summarise(input.ids.length, done.length, why);
        },
      };
    },
  };
}

/** A rule violation leaves this asset unchanged and affects nothing else. */
async function attempt(tx: Transaction, work: () => Promise<Outcome>): Promise<Outcome> {
  try {
    return await tx.savepoint(work);
  } catch (error) {
    if (error instanceof UniferumError && error.status < 500) return { kind: 'left', why: error.message };
    if (isUnfitValue(error)) return { kind: 'left', why: "a new value can't be stored" };
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

const WORDS = {
  'has-one': 'already had one',
  'no-date': 'no capture date',
  'date-limit': 'its date would be outside the years 1000 to 9999',
  same: 'already so',
} as const;

/** The handlers of all bulk jobs. */
export function bulkHandlers(tools: BulkTools): BoundRun[] {
  return [
    bulkEdit.bind(bulkHandler(tools, editing)),
    bulkBin.bind(bulkHandler(tools, binning)),
    bulkRestore.bind(bulkHandler(tools, restoring)),
    bulkPurge.bind(bulkHandler(tools, purging)),
    bulkUndo.bind(bulkHandler(tools, undoing)),
  ];
}

type InputOf<Kind> = Kind extends RunKind<infer Input> ? Input : never;

const editing: BulkJob<InputOf<typeof bulkEdit>> = {
  remembers: true,
  foresee: async (rows, { change: { folder } }) =>
    rows
      .filter(({ live }) => live !== null)
      .flatMap((row) => moveOf(row, folder === undefined ? {} : { folder })),
  async apply(tx, row, { joints, input: { change }, prepared }) {
    if (row.live === null) return { kind: 'left', why: 'in the bin' };
    const outcome = planFor(row, change);
    if (outcome.kind === 'unchanged') return { kind: 'left', why: WORDS[outcome.reason] };
    await changeHeldAsset(joints, tx, row, outcome.after as AssetPatch, { by: BY, prepared });
    return { kind: 'done', before: outcome.before, after: outcome.after };
  },
};

const binning: BulkJob<InputOf<typeof bulkBin>> = {
  remembers: true,
  foresee: async (rows) => rows.filter(({ live }) => live !== null).map((row) => ({ kind: 'bin', row })),
  async apply(tx, row, { joints, input: { isForced = false }, prepared }) {
    if (row.live === null) return { kind: 'left', why: 'already in the bin' };
    await binHeldAsset(joints, tx, row, { by: BY, prepared, isForced });
    return { kind: 'done' };
  },
};

const restoring: BulkJob<InputOf<typeof bulkRestore>> = {
  foresee: async (rows) => restorals(rows),
  async apply(tx, row, { joints, prepared }) {
    if (row.live !== null) return { kind: 'left', why: 'not in the bin' };
    await restoreHeldAsset(joints, tx, row, { by: BY, prepared });
    return { kind: 'done' };
  },
};

const purging: BulkJob<InputOf<typeof bulkPurge>> = {
  foresee: async (rows) => rows.filter(({ live }) => live === null).map((row) => ({ kind: 'purge', row })),
  async apply(tx, row, { joints, prepared }) {
    if (row.live !== null) return { kind: 'left', why: 'not in the bin' };
    await purgeHeldAsset(joints, tx, row, { by: BY, prepared });
    return { kind: 'done' };
  },
};

const undoing: BulkJob<InputOf<typeof bulkUndo>> = {
  async foresee(rows, { run }, { db }) {
    const source = await findRun(db, run);
    if (source?.kind === bulkBin.kind) return restorals(rows);
    const changes: AssetChange[] = [];
    for (const row of rows) {
      const folder = (await findChange(db, run, row.id))?.before.folder;
      if (typeof folder === 'string') changes.push(...moveOf(row, { folder }));
    }
    return changes;
  },
  async apply(tx, row, { joints, input: { run }, prepared }) {
    const change = await lockChange(tx, run, row.id);
    if (!change) return { kind: 'left', why: 'already undone' };
    const source = await findRun(tx, run);
    if (source?.kind === bulkBin.kind) {
      if (row.live !== null) return { kind: 'left', why: 'restored already' };
      await restoreHeldAsset(joints, tx, row, { by: BY, prepared });
    } else {
      if (row.live === null) return { kind: 'left', why: 'in the bin' };
      const back = unchangedSince(row, change);
      if (Object.keys(back).length === 0) return { kind: 'left', why: 'changed since' };
      await changeHeldAsset(joints, tx, row, back as AssetPatch, { by: BY, prepared });
    }
    await markUndone(tx, run, row.id);
    return { kind: 'done' };
  },
};

/** The earlier values of fields that are still as the job left them. */
function unchangedSince(
  row: AssetRow,
  { before, after }: { before: Record<string, unknown>; after: Record<string, unknown> },
): Record<string, unknown> {
  const now: Record<string, unknown> = { ...bulkSubject(row) };
  return Object.fromEntries(
    Object.entries(before).filter(([field]) => JSON.stringify(now[field]) === JSON.stringify(after[field])),
  );
}

function restorals(rows: readonly AssetRow[]): AssetChange[] {
  return rows.filter(({ live }) => live === null).map(restoralOf);
}
