import {
  commonFolder,
  endedItems,
  finalState,
  isActive,
  nextRate,
  type RunState,
  runTitle,
} from '@uniferum/core/runs';
import { recordEvent } from '../events/outbox.js';
import { type Database, inTransaction, type Transaction } from '../shared/database.js';
import { notFound } from '../shared/errors.js';
import { runChanged, runCreated, runEnded } from './events.js';
import { insertItems, requeueFailedItems } from './item-queries.js';
import {
  type ClaimedItem,
  countEnd,
  databaseNow,
  type EndCounts,
  releaseRun,
  updateRateSample,
} from './lease-queries.js';
import {
  countWorkingItems,
  findRun,
  insertRun,
  lockOpenRun,
  type NewRun,
  type RunRow,
  updateRunFolder,
  updateRunState,
} from './queries.js';
import type { AnyRunKind, RunKind } from './run-kind.js';
import { listRunsOfFailure } from './worker-queries.js';

/** An item to process. Its key makes adding it twice harmless. */
export interface WantedItem<Input> {
  key: string;
  title: string;
  input: Input;
  /** How many units it counts for. @defaultValue 1 */
  weight?: number;
}

/** Settings of a new run, apart from its kind. */
export type RunStart = Omit<NewRun, 'kind' | 'countsBytes' | 'canUndo'>;

/** Starts a run without items. */
export async function beginRun(tx: Transaction, kind: AnyRunKind, run: RunStart): Promise<string> {
  const { kind: name, countsBytes, undo } = kind;
  const id = await insertRun(tx, { ...run, kind: name, countsBytes, canUndo: undo !== null });
  await recordEvent(tx, { event: runCreated, by: run.by, data: { id, kind: name, title: run.title } });
  return id;
}

/** Adds items to the open, active run of their kind, or starts one. */
export async function addToOpenRun<Input>(
  tx: Transaction,
  kind: RunKind<Input>,
  run: RunStart,
  items: readonly WantedItem<Input>[],
): Promise<string> {
  const open = await lockOpenRun(tx, kind.kind);
  const id = open?.id ?? (await beginRun(tx, kind, { ...run, isOpen: true }));
  await insertItems(tx, id, items);
  if (open && open.folder !== null && run.folder !== undefined) {
    const folder = commonFolder(open.folder, run.folder);
    if (folder !== open.folder) await updateRunFolder(tx, id, folder);
  }
  return id;
}

/** Adds items to a run that has been started. */
export async function addItems<Input>(
  tx: Transaction,
  runId: string,
  _kind: RunKind<Input>,
  items: readonly WantedItem<Input>[],
): Promise<void> {
  for (let at = 0; at < items.length; at += INSERT_ROWS)
    await insertItems(tx, runId, items.slice(at, at + INSERT_ROWS));
}

/** Starts a run over a list, with `perItem` entries per item. @returns the run's id */
export async function beginGroupedRun<Subject, Input>(
  db: Database,
  kind: RunKind<Input>,
  run: RunStart,
  {
    subjects,
    perItem,
    inputOf,
  }: {
    subjects: readonly Subject[];
    perItem: number;
    inputOf: (some: Subject[]) => Input;
  },
): Promise<string> {
  const groups = Array.from({ length: Math.ceil(subjects.length / perItem) }, (_, n) => {
    const some = subjects.slice(n * perItem, (n + 1) * perItem);
    return { some, weight: some.length };
  });
  return inTransaction(db, (tx) =>
    beginGroupedRunIn(tx, kind, run, { groups, inputOf: ({ some }) => inputOf(some) }),
  );
}

/** Starts a run over groups that have their own sizes, in a transaction. @returns the run's id */
export async function beginGroupedRunIn<Group extends { weight: number }, Input>(
  tx: Transaction,
  kind: RunKind<Input>,
  run: RunStart,
  { groups, inputOf }: { groups: readonly Group[]; inputOf: (group: Group) => Input },
): Promise<string> {
  const id = await beginRun(tx, kind, run);
  let at = 0;
  const items: WantedItem<Input>[] = groups.map((group) => {
    const title = `${(at + 1).toLocaleString('en-GB')}–${(at + group.weight).toLocaleString('en-GB')}`;
    const item = { key: `group:${at}`, title, input: inputOf(group), weight: group.weight };
    at += group.weight;
    return item;
  });
  await addItems(tx, id, kind, items);
  await endIfEmpty(tx, id);
  return id;
}

const INSERT_ROWS = 1000;

/** Ends a run that has nothing to do. */
export async function endIfEmpty(tx: Transaction, id: string): Promise<void> {
  const run = await findRun(tx, id, { lock: true });
  if (run && run.total === 0) await endRun(tx, run, 'done');
}

/** Adds an ended item to its run's counters, updates the rate, and ends the run with its last item. */
export async function recordItemEnd(tx: Transaction, item: ClaimedItem, counts: EndCounts): Promise<void> {
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
  await finishRunIfDone(tx, run);
}

/** Finishes a locked run when no items remain, or when it is stopping and none is claimed. */
export async function finishRunIfDone(tx: Transaction, run: RunRow): Promise<void> {
  if (!isActive(run.state)) return;
  if (endedItems(run) >= run.total) await endRun(tx, run, finalState(run));
  else if (run.state === 'stopping' && (await countWorkingItems(tx, String(run.id))) === 0)
    await endRun(tx, run, 'stopped');
}

/** Stops a run: items in progress are returned, and no new ones are claimed. Stopping twice has no further effect. */
export async function stopRun(db: Database, id: string, by: string): Promise<RunRow> {
  return steer(db, id, by, async (tx, run) => {
    if (run.state === 'waiting' || run.state === 'working') {
      if ((await countWorkingItems(tx, id)) > 0) await updateRunState(tx, id, 'stopping');
      else await endRun(tx, run, 'stopped');
    }
  });
}

/** Resumes a stopped run. */
export async function resumeRun(db: Database, id: string, by: string): Promise<RunRow> {
  return steer(db, id, by, async (tx, run) => {
    if (run.state === 'stopping' || run.state === 'stopped') await updateRunState(tx, id, 'waiting');
    await releaseRun(tx, id);
  });
}

/** Retries the failed items of a run. */
export async function retryRun(db: Database, id: string, by: string): Promise<RunRow> {
  return steer(db, id, by, async (tx, run) => {
    await retryItems(tx, run);
  });
}

/** Retries the items that failed for a reason, in all runs of a kind. @returns how many items, and of how many runs */
export async function retryFailures(
  db: Database,
  failure: { reason: string; kind: string },
  by: string,
): Promise<{ items: number; runs: number }> {
  const retried = { items: 0, runs: 0 };
  for (const id of await listRunsOfFailure(db, failure)) {
    let items = 0;
    await steer(db, id, by, async (tx, run) => {
      items = await retryItems(tx, run, failure.reason);
    });
    retried.items += items;
    retried.runs += items > 0 ? 1 : 0;
  }
  return retried;
}

async function retryItems(tx: Transaction, run: RunRow, reason?: string): Promise<number> {
  const id = String(run.id);
  const count = await requeueFailedItems(tx, id, reason);
  await releaseRun(tx, id);
  if (count > 0 && !isActive(run.state)) await updateRunState(tx, id, 'waiting');
  return count;
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
      await recordEvent(tx, { event: runChanged, by, data: { id, from: before.state, to: after.state } });
    return after;
  });
}

async function endRun(tx: Transaction, run: RunRow, state: RunState): Promise<void> {
  await updateRunState(tx, String(run.id), state);
  await recordEvent(tx, {
    event: runEnded,
    by: 'Uniferum',
    data: {
      id: String(run.id),
      title: runTitle(run),
      state,
      total: run.total,
      done: run.done,
      failed: run.failed,
      skipped: run.skipped,
    },
  });
}
