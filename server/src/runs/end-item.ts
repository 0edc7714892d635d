import { failureReason } from '@uniferum/core/runs';
import type { Logger } from 'pino';
import { type Database, inTransaction, type Transaction } from '../shared/database.js';
import { isEnvironmentFault } from '../shared/errors.js';
import { isDeadlock } from '../shared/pooled-database.js';
import type { ItemResult, RunHandler } from './handler.js';
import {
  type ClaimedItem,
  endItem,
  holdRun,
  lockExpiredItems,
  returnItem,
  updateItemEnd,
} from './lease-queries.js';
import { finishRunIfDone, recordItemEnd } from './ledger.js';
import { findRun } from './queries.js';

/** Ends an item and records its result in one transaction, so that both happen exactly once or not at all. */
export async function endItemWith(tx: Transaction, item: ClaimedItem, result: ItemResult): Promise<void> {
  const error = result.error ?? null;
  const isHeld = await endItem(tx, item, {
    state: result.outcome,
    note: result.note ?? null,
    error,
    reason: error === null ? null : failureReason(error, item.title),
  });
  if (!isHeld) throw new ItemLostError(item);
  const recorded = (await result.record?.(tx)) ?? {};
  const { note, bytes, done = 0, skipped = 0, failed = 0 } = recorded;
  if (note !== undefined || bytes !== undefined) await updateItemEnd(tx, item, { note, bytes });
  const isCounted =
    recorded.done !== undefined || recorded.skipped !== undefined || recorded.failed !== undefined;
  const counts = isCounted
    ? { done, skipped, failed }
    : { done: 0, skipped: 0, failed: 0, [result.outcome]: item.weight };
  await recordItemEnd(tx, item, counts);
}

/** The item has been claimed by another worker or has already ended: nothing more may be written. */
export class ItemLostError extends Error {
  constructor(item: ClaimedItem) {
    super(`${item.title} is now being processed by another worker`);
  }
}

/** Ends an item that has used its last attempt. */
export async function giveUpItem(
  db: Database,
  item: ClaimedItem,
  handler: RunHandler<unknown>,
  message: string,
  log: Logger,
): Promise<void> {
  await inTransaction(db, (tx) => giveUpIn(tx, item, handler, message, log));
}

/** The item ends even if recording the consequences of the failure fails. */
async function giveUpIn(
  tx: Transaction,
  item: ClaimedItem,
  handler: RunHandler<unknown> | undefined,
  message: string,
  log: Logger,
): Promise<void> {
  const error = `${message.slice(0, 1000)} (tried ${item.attempts === 1 ? 'once' : `${item.attempts} times`})`;
  try {
    await tx.savepoint(() =>
      endItemWith(tx, item, {
        outcome: 'failed',
        error,
        record: async () => handler?.giveUp?.(tx, item.input, error),
      }),
    );
  } catch (failure) {
    if (failure instanceof ItemLostError) return;
    if (isEnvironmentFault(failure) || isDeadlock(failure)) throw failure;
    log.error({ err: failure, item: item.id }, 'what the failure of an item means could not be written');
    await endItemWith(tx, item, { outcome: 'failed', error });
  }
}

/** Handles items whose worker died: they wait again, or end after too many attempts. */
export async function recoverExpiredItems(
  db: Database,
  {
    maxDeaths,
    handlers,
    log,
  }: { maxDeaths: number; handlers: ReadonlyMap<string, RunHandler<unknown>>; log: Logger },
): Promise<void> {
  await inTransaction(db, async (tx) => {
    for (const item of await lockExpiredItems(tx)) {
      const error = `The worker died while working on ${item.title}.`;
      log.warn({ run: item.runId, item: item.id, attempt: item.attempts }, 'a lease ran out');
      if (item.attempts >= maxDeaths) {
        await giveUpIn(tx, item, handlers.get(item.kind), error, log);
        continue;
      }
      await returnItem(tx, item, { delayMs: 0, error, countsAttempt: true });
      const run = await findRun(tx, String(item.runId), { lock: true });
      if (run) await finishRunIfDone(tx, run);
    }
  });
}

/** Returns an unfinished item to the queue. */
export async function returnToRun(
  db: Database,
  item: ClaimedItem,
  back: { delayMs: number; error: string | null; countsAttempt: boolean },
): Promise<void> {
  await inTransaction(db, async (tx) => {
    if (!(await returnItem(tx, item, back))) return;
    const run = await findRun(tx, String(item.runId), { lock: true });
    if (run) await finishRunIfDone(tx, run);
  });
}

/** An environment fault is not the item's failure: the whole run pauses and reports why. */
export async function holdWithRun(
  db: Database,
  item: ClaimedItem,
  reason: string,
  baseMs: number,
): Promise<void> {
  await inTransaction(db, async (tx) => {
    if (!(await returnItem(tx, item, { delayMs: 0, error: reason, countsAttempt: false }))) return;
    await holdRun(tx, item.runId, reason, baseMs);
    const run = await findRun(tx, String(item.runId), { lock: true });
    if (run) await finishRunIfDone(tx, run);
  });
}
