import type { AssetTexts, BulkChange, RenditionState } from '@uniferum/core';
import type { Logger } from 'pino';
import type { IntakeContext } from '../intake/incoming.js';
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
  /** Writes what it means that an item was tried for the last time, in the transaction that ends it. */
  giveUp?(tx: Transaction, input: Input, error: string): Promise<void>;
}

/** The kinds of runs, and what their items hold. */
/** One file that an intake takes from somewhere. */
export interface IntakeSource {
  name: string | null;
  folder: string;
  texts: Partial<AssetTexts>;
  capturedAt: string | null;
  from:
    | { kind: 'archive'; sha256: string; entry: number }
    | { kind: 'inbox'; path: string; mode: 'copy' | 'move' | 'place' }
    | { kind: 'address'; address: string };
}

interface RenditionsInput {
  asset: string;
  /** Null for all but those that are made on request. */
  recipes: string[] | null;
  /** Absent for all that are neither fresh nor surplus. */
  states?: RenditionState[];
}

export interface RunInputs {
  intake: { intake: IntakeContext; files: IntakeSource[] };
  'bulk-edit': { ids: string[]; change: BulkChange };
  'bulk-undo': { run: string; ids: string[] };
  'bulk-bin': { ids: string[] };
  'bulk-restore': { ids: string[] };
  'bulk-purge': { ids: string[] };
  renditions: RenditionsInput;
  /** What somebody looks at right now: the same work, before everything else. */
  'renditions-soon': RenditionsInput;
  optimise: { asset: string; mode: 'lossless' | 'likeness'; likeness?: number };
  'surplus-remove': { keys: [asset: number, recipe: string, variant: string][] };
  'surplus-restore': { run: string; keys: [asset: number, recipe: string, variant: string][] };
}

export type RunKind = keyof RunInputs;

export type RunHandlers = { [Kind in RunKind]: RunHandler<RunInputs[Kind]> };
