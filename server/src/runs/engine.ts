import { randomBytes } from 'node:crypto';
import { hostname } from 'node:os';
import { setTimeout as delay } from 'node:timers/promises';
import { backoffMs, failureReason } from '@uniferum/core';
import type { Logger } from 'pino';
import { type Database, inTransaction, type Transaction } from '../shared/database.js';
import type { ItemResult, RunHandler, RunHandlers } from './handler.js';
import {
  type ClaimedItem,
  claimItems,
  endItem,
  listClaimableRuns,
  lockExpiredItems,
  renewLeases,
  returnItem,
  updateItemEnd,
} from './lease-queries.js';
import { settleItem, settleRun } from './ledger.js';
import { findRun } from './queries.js';
import { Slots } from './slots.js';
import { addToMinute, beat, removeWorker, type WorkerFacts } from './worker-queries.js';

export interface EngineOptions {
  /** How many items are worked on at a time; others are held meanwhile, being made durable or ready to begin. */
  slots: number;
  /**
   * How many items more are got ready meanwhile, by handlers that hand the heavy part to processes of their own: those
   * then never wait for the database. @defaultValue 0
   */
  ahead?: number;
  /** After so long without a heartbeat an item is given to another worker. */
  leaseMs: number;
  /** How often an item is tried at most. @defaultValue 5 */
  maxAttempts?: number;
  /** How long to look away when nothing waits, in milliseconds. @defaultValue 250 */
  idleMs?: number;
  /** @defaultValue 1000 */
  backoffBaseMs?: number;
}

interface HeldItem {
  item: ClaimedItem;
  abort: AbortController;
}

/**
 * For each item in a slot, others are claimed before their turn or being made durable after it, so that no slot stands
 * idle while a disk is slow. What they hold in memory is a few encoded files each.
 */
const HELD_PER_SLOT = 2;

/** Why an item's signal was aborted. */
type Interruption = 'stopping' | 'lost' | 'shutdown';

/** Works through the runs of a database until it is closed. Any number of engines may do so at the same time. */
export class RunEngine {
  readonly #db: Database;
  readonly #handlers: RunHandlers;
  readonly #log: Logger;
  readonly #options: Required<EngineOptions>;
  readonly #id = `${hostname()}:${process.pid}:${randomBytes(4).toString('hex')}`;
  readonly #held = new Map<number, HeldItem>();
  readonly #shutdown = new AbortController();
  readonly #slots: Slots;
  /** What was done since it was last written down. */
  #did = { done: 0, failed: 0, busyMs: 0 };
  #freeSlot: (() => void) | null = null;
  #heart: NodeJS.Timeout | null = null;
  #loop: Promise<void> | null = null;
  #beating: Promise<void> | null = null;

  constructor(db: Database, handlers: RunHandlers, log: Logger, options: EngineOptions) {
    this.#db = db;
    this.#handlers = handlers;
    this.#log = log.child({ worker: this.#id });
    this.#options = { ahead: 0, maxAttempts: 5, idleMs: 250, backoffBaseMs: 1000, ...options };
    this.#slots = new Slots(this.#atATime);
  }

  /** Begins to work. */
  async start(): Promise<void> {
    await beat(this.#db, this.#facts);
    this.#heart = setInterval(() => {
      this.#beating ??= this.#heartbeat().finally(() => {
        this.#beating = null;
      });
    }, this.#options.leaseMs / 3);
    this.#loop = this.#workLoop();
  }

  /** Gives back what it holds and ends. */
  async close(): Promise<void> {
    this.#shutdown.abort('shutdown' satisfies Interruption);
    for (const { abort } of this.#held.values()) abort.abort('shutdown' satisfies Interruption);
    this.#freeSlot?.();
    await this.#loop;
    if (this.#heart) clearInterval(this.#heart);
    await this.#beating;
    await this.#writeDown().catch(() => {});
    await removeWorker(this.#db, this.#id).catch(() => {});
  }

  get #atATime(): number {
    return this.#options.slots + this.#options.ahead;
  }

  get #facts(): WorkerFacts {
    return { id: this.#id, host: hostname(), pid: process.pid, slots: this.#options.slots };
  }

  /** Adds what was done since to this minute's count. */
  async #writeDown(): Promise<void> {
    const did = this.#did;
    if (did.done + did.failed + did.busyMs === 0) return;
    this.#did = { done: 0, failed: 0, busyMs: 0 };
    await addToMinute(this.#db, this.#id, did);
  }

  async #workLoop(): Promise<void> {
    const working = new Set<Promise<void>>();
    let backoff = this.#options.idleMs;
    while (!this.#shutdown.signal.aborted) {
      const free = this.#atATime * HELD_PER_SLOT - working.size;
      if (free <= 0) {
        await new Promise<void>((resolve) => {
          this.#freeSlot = resolve;
        });
        continue;
      }
      try {
        const items = await this.#claim(free);
        backoff = this.#options.idleMs;
        for (const item of items) {
          const work = this.#carryOut(item).finally(() => {
            working.delete(work);
            this.#freeSlot?.();
          });
          working.add(work);
        }
        if (items.length === 0) await this.#rest(this.#options.idleMs);
      } catch (error) {
        this.#log.error({ err: error }, 'claiming failed');
        await this.#rest(backoff);
        backoff = Math.min(backoff * 2, 10_000);
      }
    }
    await Promise.all(working);
  }

  async #rest(ms: number): Promise<void> {
    await delay(ms, undefined, { signal: this.#shutdown.signal }).catch(() => {});
  }

  async #claim(limit: number): Promise<ClaimedItem[]> {
    const items: ClaimedItem[] = [];
    for (const run of await listClaimableRuns(this.#db)) {
      const claim = {
        limit: limit - items.length,
        token: randomBytes(16).toString('hex'),
        worker: this.#id,
        leaseMs: this.#options.leaseMs,
      };
      items.push(...(await inTransaction(this.#db, (tx) => claimItems(tx, run, claim))));
      if (items.length >= limit) break;
    }
    return items;
  }

  async #carryOut(item: ClaimedItem): Promise<void> {
    const abort = new AbortController();
    this.#held.set(item.id, { item, abort });
    if (this.#shutdown.signal.aborted) abort.abort('shutdown' satisfies Interruption);
    const log = this.#log.child({ run: item.runId, item: item.id });
    let result: ItemResult | null = null;
    try {
      result = await this.#attempt(item, abort.signal, log);
      if (result) await this.#end(item, result);
    } catch (error) {
      // The database did not take the result. The lease will run out, and the item comes again.
      log.error({ err: error }, "an item's end could not be written");
    } finally {
      this.#held.delete(item.id);
      await result?.release?.().catch((error) => log.warn({ err: error }, 'an item left something behind'));
    }
  }

  /** @returns null when the item was given back */
  async #attempt(item: ClaimedItem, signal: AbortSignal, log: Logger): Promise<ItemResult | null> {
    try {
      const giveBack = await this.#slots.take(signal);
      const began = performance.now();
      const result = await this.#handlerOf(item)
        .work(item.input, { signal, runId: String(item.runId), log })
        .finally(() => {
          this.#did.busyMs += performance.now() - began;
          giveBack();
        });
      try {
        await result.persist?.();
      } catch (error) {
        await result.release?.();
        throw error;
      }
      return result;
    } catch (error) {
      if (signal.aborted) {
        await this.#giveBack(item, signal.reason);
        return null;
      }
      const message = error instanceof Error ? error.message : String(error);
      log.warn({ err: error, attempt: item.attempts }, 'an item failed');
      if (item.attempts >= this.#options.maxAttempts) return this.#lastFailure(item, message);
      const delayMs = backoffMs(item.attempts, Math.random(), { baseMs: this.#options.backoffBaseMs });
      await inTransaction(this.#db, (tx) =>
        returnItem(tx, item, { delayMs, error: message, countsAttempt: true }),
      );
      return null;
    }
  }

  async #giveBack(item: ClaimedItem, reason: Interruption): Promise<void> {
    if (reason === 'lost') return;
    await inTransaction(this.#db, async (tx) => {
      await returnItem(tx, item, { delayMs: 0, error: null, countsAttempt: false });
      const run = await findRun(tx, String(item.runId), { lock: true });
      if (run) await settleRun(tx, run);
    });
  }

  #lastFailure(item: ClaimedItem, message: string): ItemResult {
    const error = `${message} (tried ${item.attempts} times)`;
    return {
      outcome: 'failed',
      error,
      record: async (tx) => this.#handlerOf(item).giveUp?.(tx, item.input, error),
    };
  }

  async #end(item: ClaimedItem, result: ItemResult): Promise<void> {
    await inTransaction(this.#db, (tx) => endWithResult(tx, item, result));
    if (result.outcome === 'failed') this.#did.failed += 1;
    else this.#did.done += 1;
  }

  async #heartbeat(): Promise<void> {
    try {
      await beat(this.#db, this.#facts);
      await this.#writeDown();
      const held = [...this.#held.values()];
      const still = await renewLeases(
        this.#db,
        held.map(({ item }) => item),
        this.#options.leaseMs,
      );
      for (const { item, abort } of held) {
        const state = still.get(item.id);
        // An item that ended while the answer was on its way is not lost.
        if (!this.#held.has(item.id)) continue;
        if (state === undefined) abort.abort('lost' satisfies Interruption);
        else if (state.isStopping) abort.abort('stopping' satisfies Interruption);
      }
      await this.#recoverExpired();
    } catch (error) {
      this.#log.error({ err: error }, 'the heartbeat failed');
    }
  }

  /** Takes care of items whose worker died: they wait again, or end when they were tried too often. */
  async #recoverExpired(): Promise<void> {
    await inTransaction(this.#db, async (tx) => {
      for (const item of await lockExpiredItems(tx)) {
        const error = `The worker died while working on ${item.title}.`;
        this.#log.warn({ run: item.runId, item: item.id, attempt: item.attempts }, 'a lease ran out');
        if (item.attempts >= this.#options.maxAttempts) {
          await endWithResult(tx, item, this.#lastFailure(item, error));
          continue;
        }
        await returnItem(tx, item, { delayMs: 0, error, countsAttempt: true });
        const run = await findRun(tx, String(item.runId), { lock: true });
        if (run) await settleRun(tx, run);
      }
    });
  }

  #handlerOf(item: ClaimedItem): RunHandler<unknown> {
    const handler = Object.entries(this.#handlers).find(([kind]) => kind === item.kind)?.[1];
    if (!handler)
      throw new Error(
        `This worker knows no runs of kind "${item.kind}". Start a worker of the server's version.`,
      );
    return handler as RunHandler<unknown>;
  }
}

/** Ends an item and writes what it made in one transaction: both happen, once, or neither does. */
async function endWithResult(tx: Transaction, item: ClaimedItem, result: ItemResult): Promise<void> {
  const error = result.error ?? null;
  const isHeld = await endItem(tx, item, {
    state: result.outcome,
    note: result.note ?? null,
    error,
    reason: error === null ? null : failureReason(error, item.title),
  });
  if (!isHeld) return;
  const recorded = (await result.record?.(tx)) ?? {};
  const { note, bytes, done = 0, skipped = 0, failed = 0 } = recorded;
  if (note !== undefined || bytes !== undefined) await updateItemEnd(tx, item, { note, bytes });
  const isCounted =
    recorded.done !== undefined || recorded.skipped !== undefined || recorded.failed !== undefined;
  const counts = isCounted
    ? { done, skipped, failed }
    : { done: 0, skipped: 0, failed: 0, [result.outcome]: item.weight };
  await settleItem(tx, item, counts);
}
