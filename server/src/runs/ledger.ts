import { endedItems, finalState, isActive, nextRate, type RunState } from '@uniferum/core';
import { recordEvent } from '../hooks/outbox.js';
import { type Database, inTransaction, type Transaction } from '../shared/database.js';
import { notFound } from '../shared/errors.js';
import type { RunInputs, RunKind } from './handler.js';
import {
  type ClaimedItem,
  countEnd,
  databaseNow,
  type EndCounts,
  updateRateSample,
} from './lease-queries.js';
import {
  countWorkingItems,
  findRun,
  insertItems,
  insertRun,
  lockOpenRun,
  type NewRun,
  type RunRow,
  rewaitFailedItems,
  updateRunState,
} from './queries.js';

/** An item to be done. Its key makes adding it twice harmless. */
export interface WantedItem<Kind extends RunKind> {
  key: string;
  title: string;
  input: RunInputs[Kind];
  /** How many units it stands for in the run's counts. @defaultValue 1 */
  weight?: number;
}

/** Begins a run without items yet. */
export async function beginRun(tx: Transaction, run: NewRun & { kind: RunKind }): Promise<string> {
  const id = await insertRun(tx, run);
  await recordEvent(tx, { type: 'run.created', by: run.by, data: { id, kind: run.kind, title: run.title } });
  return id;
}

/** Adds items to the run of their kind that is open and going on, or begins one. */
export async function addToOpenRun<Kind extends RunKind>(
  tx: Transaction,
  run: NewRun & { kind: Kind },
  items: readonly WantedItem<Kind>[],
): Promise<string> {
  const id = (await lockOpenRun(tx, run.kind)) ?? (await beginRun(tx, { ...run, isOpen: true }));
  await insertItems(tx, id, items);
  return id;
}

/** Adds items to a run that was begun. */
export async function addItems<Kind extends RunKind>(
  tx: Transaction,
  runId: string,
  items: readonly WantedItem<Kind>[],
): Promise<void> {
  for (let at = 0; at < items.length; at += INSERT_ROWS)
    await insertItems(tx, runId, items.slice(at, at + INSERT_ROWS));
}

const INSERT_ROWS = 1000;

/** Ends a run that turned out to have nothing to do. */
export async function endIfEmpty(tx: Transaction, id: string): Promise<void> {
  const run = await findRun(tx, id, { lock: true });
  if (run && run.total === 0) await updateRunState(tx, id, 'done');
}

/** Counts an item's end into its run, follows the rate, and ends the run with its last item. */
export async function settleItem(tx: Transaction, item: ClaimedItem, counts: EndCounts): Promise<void> {
  await countEnd(tx, item.runId, counts);
  const run = await findRun(tx, String(item.runId), { lock: true });
  if (run === null) return;
  const now = await databaseNow(tx);
  const sample = nextRate(
    { atMs: (run.sample_at ?? now).getTime(), ended: run.sample_ended, perSecond: run.sample_rate },
    now.getTime(),
    endedItems(run),
  );
  if (run.sample_at === null || sample.atMs !== run.sample_at.getTime()) {
    await updateRateSample(tx, item.runId, {
      at: new Date(sample.atMs),
      ended: sample.ended,
      perSecond: sample.perSecond,
    });
  }
  await settleRun(tx, run);
}

/** Brings a run that is held to its end when nothing is left to do, or nothing is held while it is stopping. */
export async function settleRun(tx: Transaction, run: RunRow): Promise<void> {
  if (!isActive(run.state)) return;
  if (endedItems(run) >= run.total) await endRun(tx, run, finalState(run));
  else if (run.state === 'stopping' && (await countWorkingItems(tx, String(run.id))) === 0)
    await endRun(tx, run, 'stopped');
}

/** Stops a run: what is being worked on is given back, and nothing new is begun. Stopping twice does no harm. */
export async function stopRun(db: Database, id: string, by: string): Promise<RunRow> {
  return steer(db, id, by, async (tx, run) => {
    if (run.state === 'waiting' || run.state === 'working') {
      await updateRunState(tx, id, (await countWorkingItems(tx, id)) > 0 ? 'stopping' : 'stopped');
    }
  });
}

/** Goes on with a run that was stopped. */
export async function resumeRun(db: Database, id: string, by: string): Promise<RunRow> {
  return steer(db, id, by, async (tx, run) => {
    if (run.state === 'stopping' || run.state === 'stopped') await updateRunState(tx, id, 'waiting');
  });
}

/** Tries the failed items of a run again. */
export async function retryRun(db: Database, id: string, by: string): Promise<RunRow> {
  return steer(db, id, by, async (tx, run) => {
    const count = await rewaitFailedItems(tx, id);
    if (count > 0 && !isActive(run.state)) await updateRunState(tx, id, 'waiting');
  });
}

async function steer(
  db: Database,
  id: string,
  by: string,
  work: (tx: Transaction, run: RunRow) => Promise<void>,
): Promise<RunRow> {
  return inTransaction(db, async (tx) => {
    const before = await findRun(tx, id, { lock: true });
    if (before === null) throw notFound(`Run ${id}`);
    await work(tx, before);
    const after = (await findRun(tx, id)) ?? before;
    if (after.state !== before.state)
      await recordEvent(tx, { type: 'run.changed', by, data: { id, from: before.state, to: after.state } });
    return after;
  });
}

async function endRun(tx: Transaction, run: RunRow, state: RunState): Promise<void> {
  await updateRunState(tx, String(run.id), state);
  await recordEvent(tx, {
    type: 'run.ended',
    by: 'Uniferum',
    data: {
      id: String(run.id),
      title: run.title,
      state,
      total: run.total,
      done: run.done,
      failed: run.failed,
      skipped: run.skipped,
    },
  });
}
