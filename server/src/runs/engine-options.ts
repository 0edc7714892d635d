import { setTimeout as wait } from 'node:timers/promises';

/** Settings of an engine. */
export interface EngineOptions {
  /** How many items are processed at a time. More can be claimed: being stored durably, or prepared. */
  slots: number;
  /**
   * How many more items are prepared ahead by handlers that delegate the heavy part to other processes, so that those
   * processes never wait for the database.
   *
   * @defaultValue 0
   */
  ahead?: number;
  /** After this long without a heartbeat, an item is given to another worker. */
  leaseMs: number;
  /** The maximum number of attempts for an item. @defaultValue 5 */
  maxAttempts?: number;
  /**
   * How often a worker may die while holding an item. Risky work runs in separate processes, so the item is seldom
   * the cause.
   *
   * @defaultValue 20
   */
  maxDeaths?: number;
  /** How long to wait before polling again when the queue is empty, in milliseconds. @defaultValue 250 */
  idleMs?: number;
  /** @defaultValue 1000 */
  backoffBaseMs?: number;
  /** Work that takes longer is abandoned as stuck, unless its handler sets its own limit. @defaultValue 900000 */
  maxWorkMs?: number;
  delay?: (ms: number, signal: AbortSignal) => Promise<unknown>;
}

/** The defaults of an engine. */
export const ENGINE_DEFAULTS = {
  ahead: 0,
  maxAttempts: 5,
  maxDeaths: 20,
  idleMs: 250,
  backoffBaseMs: 1000,
  maxWorkMs: 900_000,
  delay: (ms: number, signal: AbortSignal) => wait(ms, undefined, { signal }),
} as const satisfies Partial<EngineOptions>;
