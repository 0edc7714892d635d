import type { Reason } from '@uniferum/core/intake';
import type { AssetTexts, Kind, PluggedFilterField } from '@uniferum/core/library';
import type { FileFacts } from '@uniferum/core/rules';
import type Joi from 'joi';
import type { Database, Executor, SqlValue, Transaction } from '../shared/database.js';
import type { AssetRow } from './asset-queries.js';
import type { BlobHolder } from './blob-holder.js';
import type { StoredFolder } from './folder-queries.js';

/** A field that a room adds to every asset in answers. */
export interface AssetField<Value = unknown> {
  name: string;
  schema: Joi.Schema;
  /** Reads the field for all assets of a list, in a number of queries that doesn't depend on how many they are. */
  read(db: Executor, rows: readonly AssetRow[]): Promise<ReadonlyMap<number, Value>>;
  /** The value of an asset of which nothing was read. */
  absent: Value;
}

/** What is about to happen to an asset. */
export type AssetChange =
  /** Its texts are to be these. */
  | { kind: 'edit'; row: AssetRow; texts: AssetTexts }
  /** It is to have another name in its folder. */
  | { kind: 'rename'; row: AssetRow; name: string }
  /** It is to be in another folder; `row` is as it is then. */
  | { kind: 'move'; row: AssetRow; name: string; to: Destination }
  /** It comes back from the bin. */
  | { kind: 'restore'; row: AssetRow; name: string; to: Destination }
  /** It is to have other bytes. */
  | { kind: 'replace'; row: AssetRow; content: NewContent }
  | { kind: 'bin'; row: AssetRow }
  | { kind: 'purge'; row: AssetRow };

/** A folder in which an asset is to be. It is held when the change is judged for good. */
export type Destination = Pick<StoredFolder, 'path' | 'items'>;

/** Bytes that are to take the place of others. */
export interface NewContent extends FileFacts {
  sha256: string;
  mime: string;
}

/** Why a change should not be made. */
export interface Objection {
  asset: string;
  /** The name to speak of: the one that it would have. */
  name: string;
  reason: Omit<Reason, 'code'> & { code: string };
  /** `refused` (422) by what holds for files; `conflict` (409) because something else depends on it. */
  problem: 'refused' | 'conflict';
  /** Whether the change can't be made; else it is told in rehearsals, and made all the same. */
  isBlocking: boolean;
}

/**
 * Has a say in what happens to assets. What takes its time, such as asking an address on the network, is prepared before the
 * transaction; the judgement is made in it, with everything held, by what was prepared.
 */
export interface AssetGuard<Prepared = unknown> {
  /** The room that judges. */
  name: string;
  prepare?(db: Database, changes: readonly AssetChange[]): Promise<Prepared>;
  /** @param prepared what was prepared for these changes; undefined when nothing was */
  judge(
    tx: Transaction,
    changes: readonly AssetChange[],
    prepared: Prepared | undefined,
  ): Promise<readonly Objection[]>;
}

/** A folder that is to be at another path, with all that is in it. */
export interface FolderMove {
  from: string;
  to: string;
}

/** Has a say in where folders go; see {@link AssetGuard}. */
export interface FolderGuard<Prepared = unknown> {
  name: string;
  prepare?(db: Database, move: FolderMove): Promise<Prepared>;
  /** @param within the folder and all below it, held */
  judge(
    tx: Transaction,
    move: FolderMove,
    within: readonly StoredFolder[],
    prepared: Prepared | undefined,
  ): Promise<readonly Objection[]>;
}

/** An asset that has just come in. */
export interface ArrivedAsset {
  id: string;
  name: string;
  kind: Kind;
  mime: string;
  /** The path of its folder. */
  folder: string;
  /** A picture that stands for it, of which the bytes are recorded: what the provider of a link shows. */
  preview?: { sha256: string; bytes: number; width: number; height: number; mime: string } | undefined;
}

/** How an asset's bytes were replaced. */
export interface Replacement {
  before: AssetRow;
  after: AssetRow;
  /** Not a pixel is another: what was made of the old bytes is what would be made of the new ones. */
  looksTheSame: boolean;
  /** The version of which the new bytes are a smaller file; null for any other replacement. */
  optimisedFrom: number | null;
}

/**
 * Takes part in what happens to assets, in the same transaction and in the order in which rooms need each other. Rows are those of
 * the moment before, where nothing else is said.
 */
export interface AssetListener {
  /**
   * Takes the locks that this room needs before the library takes any: were assets or counts held first, those who wait for
   * each other could hold each other up.
   *
   * @param paths where assets are, or come to be; empty when they are told by their ids
   */
  lock?(tx: Transaction, about: { paths: readonly string[]; ids: readonly string[] }): Promise<void>;
  arrived?(tx: Transaction, assets: readonly ArrivedAsset[], by: string): Promise<void>;
  /** Its texts, focal point, name or folder are others now. */
  changed?(tx: Transaction, before: AssetRow, after: AssetRow, by: string): Promise<void>;
  replaced?(tx: Transaction, replacement: Replacement, by: string): Promise<void>;
  binned?(tx: Transaction, row: AssetRow, by: string): Promise<void>;
  restored?(tx: Transaction, row: AssetRow, by: string): Promise<void>;
  /** Forgets everything about assets that are gone for good. */
  purged?(tx: Transaction, ids: readonly string[]): Promise<void>;
  /** What the answer to whoever brought assets in waits for, after the commit. It never throws. */
  awaited?(db: Database, ids: readonly string[]): Promise<void>;
}

/** A condition in SQL with its bound values; lists are expanded (`IN (?)`). */
export interface SqlCondition {
  sql: string;
  values: (SqlValue | SqlValue[])[];
}

/** How assets are read from those that answer a condition, where they are few: an alias `driver` joined with `assets`. */
export interface Driver {
  /** What stands after FROM. */
  from: string;
  where: SqlCondition | null;
  /** Whether it says all that the condition asks. */
  isComplete: boolean;
}

/** How a field of the filter language is answered: a condition on the table `assets`. */
export interface FilterJoint<Value = unknown> {
  field: PluggedFilterField<Value>;
  toSql(value: Value): SqlCondition;
  /** How the assets are read when few answer it; by the primary key of `assets` when there is none. */
  driver?(value: Value): Driver;
  /** Counts the live assets that answer it from kept counts; null when none are kept. */
  count(db: Executor, value: Value): Promise<number | null>;
}

/** What a room plugs into the library. */
export interface LibraryJoints {
  fields?: readonly AssetField[];
  guards?: readonly AssetGuard[];
  folderGuards?: readonly FolderGuard[];
  listeners?: readonly AssetListener[];
  blobHolders?: readonly BlobHolder[];
  filters?: readonly FilterJoint[];
}

/** What all rooms plug into the library, in the order in which they need each other. */
export type Joints = Readonly<Required<LibraryJoints>>;
