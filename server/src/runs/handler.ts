import type { Logger } from 'pino';
import type { Transaction } from '../shared/database.js';
import type { EndCounts } from './lease-queries.js';

/** What an item came to, where that is not one unit of its outcome. */
export interface RecordedEnd extends Partial<EndCounts> {
  note?: string;
  /** What its files took up, and take up now. */
  bytes?: { before: number; after: number };
}

/** What came of an item's work. */
export interface ItemResult {
  /** `failed` is final: trying again would come to the same. Throw instead when it could go better the next time. */
  outcome: 'done' | 'skipped' | 'failed';
  /** What was made, or why it was skipped, in a few words. */
  note?: string;
  /** Why it failed, in a sentence that says what to do. */
  error?: string;
  /**
   * Makes what was made durable, before `record`. It waits for disks and networks and not for the processor, so the
   * next item is worked on meanwhile. A failure counts as one of `work`.
   */
  persist?(): Promise<void>;
  /** Writes what was made, in the transaction that ends the item. An item that stands for several units says
   * how many of them came to what. Not called when the item was lost to another worker. */
  // biome-ignore lint/suspicious/noConfusingVoidType: most count by the outcome of the item, and return nothing
  record?(tx: Transaction): Promise<RecordedEnd | void>;
  /** What may only happen once the end of the item is in the database for good. It may be missed when the worker dies. */
  afterwards?(): Promise<void>;
  /** Lets go of what was held on disk; called at the very end, whatever came of the item. */
  release?(): Promise<void>;
}

export interface ItemContext {
  /** Aborts when the run is stopped, the lease was lost, or the worker shuts down. */
  signal: AbortSignal;
  /** The run to which the item belongs. */
  runId: string;
  log: Logger;
}

/**
 * Carries out the items of one kind of run. `work` may be repeated at any time: after a crash the same item comes
 * again, so it changes nothing outside of content-addressed blobs; all else belongs into `record`.
 */
export interface RunHandler<Input> {
  work(input: Input, context: ItemContext): Promise<ItemResult>;
  /** Work that takes longer is given up as stuck, in milliseconds. @defaultValue the engine's */
  maxMs?: number;
  /** Writes what it means that an item was tried for the last time, in the transaction that ends it. */
  giveUp?(tx: Transaction, input: Input, error: string): Promise<void>;
}

/** A handler with the kind of run whose items it works on. */
export interface BoundRun {
  kind: string;
  handler: RunHandler<unknown>;
}
