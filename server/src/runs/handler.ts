import type { Logger } from 'pino';
import type { Transaction } from '../shared/database.js';

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
  /** Writes what was made, in the transaction that ends the item; not called when the item was lost to another worker. */
  record?(tx: Transaction): Promise<void>;
}

export interface ItemContext {
  /** Aborts when the run is stopped, the lease was lost, or the worker shuts down. */
  signal: AbortSignal;
  log: Logger;
}

/**
 * Carries out the items of one kind of run. `work` may be repeated at any time: after a crash the same item comes
 * again, so it changes nothing outside of content-addressed blobs; all else belongs into `record`.
 */
export interface RunHandler<Input> {
  work(input: Input, context: ItemContext): Promise<ItemResult>;
  /** Writes what it means that an item was tried for the last time, in the transaction that ends it. */
  giveUp?(tx: Transaction, input: Input, error: string): Promise<void>;
}

/** The kinds of runs, and what their items hold. */
export interface RunInputs {
  renditions: { asset: string; recipes: string[] | null };
}

export type RunKind = keyof RunInputs;

export type RunHandlers = { [Kind in RunKind]: RunHandler<RunInputs[Kind]> };
