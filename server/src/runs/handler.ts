import type { Logger } from 'pino';
import type { Transaction } from '../shared/database.js';
import type { EndCounts } from './lease-queries.js';

/** The unit counts of an item that stands for more than one unit. */
export interface RecordedEnd extends Partial<EndCounts> {
  note?: string;
  /** The bytes of its files before and after. */
  bytes?: { before: number; after: number };
}

/** The result of an item's work. */
export interface ItemResult {
  /** `failed` is final: another attempt would give the same result. Throw instead when a retry may succeed. */
  outcome: 'done' | 'skipped' | 'failed';
  /** What was made, or why it was skipped, in a few words. */
  note?: string;
  /** Why it failed, in a sentence that says what to do. */
  error?: string;
  /**
   * Makes the result durable, before `record`. It waits for disks and networks rather than the CPU, so the next item
   * is processed meanwhile. A failure counts as a failure of `work`.
   */
  persist?(): Promise<void>;
  /**
   * Records the result, in the transaction that ends the item. An item that stands for several units returns the
   * count of each outcome. Not called when the item was lost to another worker.
   */
  // biome-ignore lint/suspicious/noConfusingVoidType: most count by the outcome of the item, and return nothing
  record?(tx: Transaction): Promise<RecordedEnd | void>;
  /** Runs only after the end of the item is committed. It may be missed when the worker dies. */
  afterwards?(): Promise<void>;
  /** Releases temporary files; called last, whatever happened to the item. */
  release?(): Promise<void>;
}

export interface ItemContext {
  /** Aborts when the run is stopped, the lease is lost, or the worker shuts down. */
  signal: AbortSignal;
  /** The item's run. */
  runId: string;
  log: Logger;
}

/**
 * Processes the items of one run kind. `work` may be repeated at any time: after a crash the same item is processed
 * again, so it must change nothing except content-addressed blobs; everything else belongs in `record`.
 */
export interface RunHandler<Input> {
  work(input: Input, context: ItemContext): Promise<ItemResult>;
  /** Work that takes longer is abandoned as stuck, in milliseconds. @defaultValue the engine's */
  maxMs?: number;
  /** Records the consequences of a final failure, in the transaction that ends the item. */
  giveUp?(tx: Transaction, input: Input, error: string): Promise<void>;
}

/** A handler with the run kind it processes. */
export interface BoundRun {
  kind: string;
  handler: RunHandler<unknown>;
}
