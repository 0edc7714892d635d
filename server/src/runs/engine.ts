import { randomBytes } from 'node:crypto';
import { hostname } from 'node:os';
import { backoffMs } from '@uniferum/core/runs';
import type { Logger } from 'pino';
import { type Database, inTransaction } from '../shared/database.js';
import { isEnvironmentFault } from '../shared/errors.js';
import {
  endItemWith,
  giveUpItem,
  holdWithRun,
  ItemLostError,
  recoverExpiredItems,
  returnToRun,
} from './end-item.js';
import { ENGINE_DEFAULTS, type EngineOptions } from './engine-options.js';
import type { BoundRun, ItemResult, RunHandler } from './handler.js';
import { type ClaimedItem, claimItems, listClaimableRuns, renewLeases } from './lease-queries.js';
import { Slots } from './slots.js';
import { addToMinute, heartbeat, removeWorker, type WorkerFacts } from './worker-queries.js';

interface HeldItem {
  item: ClaimedItem;
  abort: AbortController;
}

/**
 * For each item in a slot, more items are claimed ahead or are being stored durably, so that no slot is idle while a
 * disk is slow. They hold only a few encoded files in memory.
 */
const HELD_PER_SLOT = 2;

/** Why an item's signal was aborted. */
type Interruption = 'stopping' | 'lost' | 'shutdown';

/** Processes the runs of a database until it is closed. Any number of engines can run at the same time. */
export class RunEngine {
  readonly #db: Database;
  readonly #leases: Database;
  readonly #handlers: ReadonlyMap<string, RunHandler<unknown>>;
  readonly #log: Logger;
  readonly #options: Required<EngineOptions>;
  readonly #id = `${hostname()}:${process.pid}:${randomBytes(4).toString('hex')}`;
  readonly #held = new Map<number, HeldItem>();
  /** Items that could not be returned because the database was unavailable. */
  readonly #unreturned = new Set<ClaimedItem>();
  readonly #shutdown = new AbortController();
  readonly #slots: Slots;
  /** Work done since the counters were last written. */
  #did = { done: 0, failed: 0, busyMs: 0 };
  #freeSlot: (() => void) | null = null;
  #heart: NodeJS.Timeout | null = null;
  #loop: Promise<void> | null = null;
  #beating: Promise<void> | null = null;

  /** @param leases a dedicated pool, so that leases are renewed however busy the other pool is; closed with the engine */
  constructor(
    db: Database,
    leases: Database,
    runs: readonly BoundRun[],
    log: Logger,
    options: EngineOptions,
  ) {
    this.#db = db;
    this.#leases = leases;
    this.#handlers = new Map(runs.map(({ kind, handler }) => [kind, handler]));
    this.#log = log.child({ worker: this.#id });
    this.#options = { ...ENGINE_DEFAULTS, ...options };
    this.#slots = new Slots(this.#atATime);
  }

  /** Starts processing. */
  async start(): Promise<void> {
    await heartbeat(this.#leases, this.#facts);
    this.#heart = setInterval(() => {
      this.#beating ??= this.#heartbeat().finally(() => {
        this.#beating = null;
      });
    }, this.#options.leaseMs / 3);
    this.#loop = this.#workLoop();
  }

  /** Returns claimed items and stops. */
  async close(): Promise<void> {
    this.#shutdown.abort('shutdown' satisfies Interruption);
    for (const { abort } of this.#held.values()) abort.abort('shutdown' satisfies Interruption);
    this.#freeSlot?.();
    await this.#loop;
    if (this.#heart) clearInterval(this.#heart);
    await this.#beating;
    await this.#writeDown().catch(() => {});
    await removeWorker(this.#leases, this.#id).catch(() => {});
    await this.#leases.end();
  }

  get #atATime(): number {
    return this.#options.slots + this.#options.ahead;
  }

  get #facts(): WorkerFacts {
    return { id: this.#id, host: hostname(), pid: process.pid, slots: this.#options.slots };
  }

  /** Adds recent work to the counters of the current minute. */
  async #writeDown(): Promise<void> {
    const did = this.#did;
    if (did.done + did.failed + did.busyMs === 0) return;
    this.#did = { done: 0, failed: 0, busyMs: 0 };
    await addToMinute(this.#leases, this.#id, did);
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
      const { items, error } = await this.#claim(free);
      for (const item of items) {
        const work = this.#process(item).finally(() => {
          working.delete(work);
          this.#freeSlot?.();
        });
        working.add(work);
      }
      if (error === null) {
        backoff = this.#options.idleMs;
        if (items.length === 0) await this.#rest(this.#options.idleMs);
      } else {
        this.#log.error({ err: error }, 'claiming failed');
        await this.#rest(backoff);
        backoff = Math.min(backoff * 2, 10_000);
      }
    }
    await Promise.all(working);
  }

  async #rest(ms: number): Promise<void> {
    await this.#options.delay(ms, this.#shutdown.signal).catch(() => {});
  }

  /** Claims items. Items claimed before an error are processed anyway, because no other worker would. */
  async #claim(limit: number): Promise<{ items: ClaimedItem[]; error: unknown }> {
    const items: ClaimedItem[] = [];
    try {
      for (const run of await listClaimableRuns(this.#db, [...this.#handlers.keys()])) {
        const claim = {
          limit: limit - items.length,
          token: randomBytes(16).toString('hex'),
          worker: this.#id,
          leaseMs: this.#options.leaseMs,
        };
        items.push(...(await inTransaction(this.#db, (tx) => claimItems(tx, run, claim))));
        if (items.length >= limit) break;
      }
      return { items, error: null };
    } catch (error) {
      return { items, error: error ?? new Error('claiming failed') };
    }
  }

  async #process(item: ClaimedItem): Promise<void> {
    const abort = new AbortController();
    this.#held.set(item.id, { item, abort });
    if (this.#shutdown.signal.aborted) abort.abort('shutdown' satisfies Interruption);
    const log = this.#log.child({ run: item.runId, item: item.id });
    let result: ItemResult | null = null;
    try {
      result = await this.#work(item, abort, log);
      await result.persist?.();
      await inTransaction(this.#db, (tx) => endItemWith(tx, item, result as ItemResult));
      this.#count(result.outcome);
      await result.afterwards?.().catch((error) => log.warn({ err: error }, 'an item left something undone'));
    } catch (error) {
      await this.#fail(item, abort.signal, error, log).catch((second) => {
        // The database is unavailable. When it is back, the heartbeat returns the item; otherwise its lease expires.
        this.#unreturned.add(item);
        log.error({ err: second }, 'an item could not be given back');
      });
    } finally {
      this.#held.delete(item.id);
      await result?.release?.().catch((error) => log.warn({ err: error }, 'an item left something behind'));
    }
  }

  /** Processes an item in a slot. Work without a sign of life for too long is abandoned, and its slot is freed. */
  async #work(item: ClaimedItem, abort: AbortController, log: Logger): Promise<ItemResult> {
    const { signal } = abort;
    const handler = this.#handlerOf(item);
    const giveBack = await this.#slots.take(signal);
    const began = performance.now();
    const maxMs = handler.maxMs ?? this.#options.maxWorkMs;
    let watchdog: NodeJS.Timeout | undefined;
    const stuck = new Promise<never>((_, reject) => {
      watchdog = setTimeout(() => {
        reject(new Error(`It was stuck: no progress for ${Math.round(maxMs / 1000)} s.`));
      }, maxMs);
    });
    const work = handler.work(item.input, { signal, runId: String(item.runId), log });
    try {
      return await Promise.race([work, stuck]);
    } catch (error) {
      // If it finishes after all, its result is released.
      work.then(
        (late) => late.release?.(),
        () => {},
      );
      if (!signal.aborted) abort.abort(error);
      throw error;
    } finally {
      clearTimeout(watchdog);
      this.#did.busyMs += performance.now() - began;
      giveBack();
    }
  }

  /** Decides what happens to an item whose work, or the recording of it, failed. */
  async #fail(item: ClaimedItem, signal: AbortSignal, error: unknown, log: Logger): Promise<void> {
    const interruption = signal.aborted ? signal.reason : null;
    if (interruption === 'lost' || error instanceof ItemLostError) return;
    if (interruption === 'stopping' || interruption === 'shutdown') {
      await returnToRun(this.#db, item, { delayMs: 0, error: null, countsAttempt: false });
      return;
    }
    const message = error instanceof Error ? error.message : String(error);
    if (isEnvironmentFault(error)) {
      log.warn({ err: error }, 'an item waits, because what it needs is not there');
      await holdWithRun(this.#db, item, message, this.#options.backoffBaseMs);
      return;
    }
    log.warn({ err: error, attempt: item.attempts }, 'an item failed');
    if (item.attempts < this.#options.maxAttempts) {
      const delayMs = backoffMs(item.attempts, Math.random(), { baseMs: this.#options.backoffBaseMs });
      await returnToRun(this.#db, item, { delayMs, error: message, countsAttempt: true });
      return;
    }
    await giveUpItem(this.#db, item, this.#handlerOf(item), message, log);
    this.#count('failed');
  }

  #count(outcome: ItemResult['outcome']): void {
    if (outcome === 'failed') this.#did.failed += 1;
    else this.#did.done += 1;
  }

  async #heartbeat(): Promise<void> {
    try {
      await heartbeat(this.#leases, this.#facts);
      await this.#writeDown();
      const held = [...this.#held.values()];
      const still = await renewLeases(
        this.#leases,
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
      for (const item of this.#unreturned) {
        await returnToRun(this.#db, item, { delayMs: 0, error: null, countsAttempt: false });
        this.#unreturned.delete(item);
      }
      await recoverExpiredItems(this.#db, {
        maxDeaths: this.#options.maxDeaths,
        handlers: this.#handlers,
        log: this.#log,
      });
    } catch (error) {
      this.#log.error({ err: error }, 'the heartbeat failed');
    }
  }

  #handlerOf(item: ClaimedItem): RunHandler<unknown> {
    const handler = this.#handlers.get(item.kind);
    if (!handler)
      throw new Error(
        `This worker does not support runs of kind "${item.kind}". Start a worker of the same version as the server.`,
      );
    return handler;
  }
}
