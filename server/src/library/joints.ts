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
  /** Reads the field for all assets of a list, with a number of queries that does not depend on its length. */
  read(db: Executor, rows: readonly AssetRow[]): Promise<ReadonlyMap<number, Value>>;
  /** The value for an asset without an entry. */
  absent: Value;
}

/** A change about to be made to an asset. */
export type AssetChange =
  /** Its texts are replaced by these. */
  | { kind: 'edit'; row: AssetRow; texts: AssetTexts }
  /** It gets another name in its folder. */
  | { kind: 'rename'; row: AssetRow; name: string }
  /** It moves to another folder; `row` is its state there. */
  | { kind: 'move'; row: AssetRow; name: string; to: Destination }
  /** It is restored from the bin. */
  | { kind: 'restore'; row: AssetRow; name: string; to: Destination }
  /** It gets other bytes. */
  | { kind: 'replace'; row: AssetRow; content: NewContent }
  /** It is moved to the bin; `isForced` by somebody who knows what that breaks. */
  | { kind: 'bin'; row: AssetRow; isForced?: boolean }
  | { kind: 'purge'; row: AssetRow };

/** The folder of an asset. It is locked when the final verdict is given. */
export type Destination = Pick<StoredFolder, 'path' | 'items'>;

/** Bytes that replace others. */
export interface NewContent extends FileFacts {
  sha256: string;
  mime: string;
}

/** Why a change should not be made. */
export interface Objection {
  asset: string;
  /** The name to mention: the one it would have. */
  name: string;
  reason: Omit<Reason, 'code'> & { code: string };
  /** `refused` (422) by rules about files; `conflict` (409) because something else depends on it. */
  problem: 'refused' | 'conflict';
  /** Whether it prevents the change; otherwise it is reported in rehearsals, and the change is made. */
  isBlocking: boolean;
}

/**
 * Judges changes to assets. Slow work, such as a network request, is prepared before the transaction; the verdict is
 * given inside it, with everything locked, based on what was prepared.
 */
export interface AssetGuard<Prepared = unknown> {
  /** The room that judges. */
  name: string;
  prepare?(db: Database, changes: readonly AssetChange[]): Promise<Prepared>;
  /** @param prepared the result of preparing for these changes; undefined when there was none */
  judge(
    tx: Transaction,
    changes: readonly AssetChange[],
    prepared: Prepared | undefined,
  ): Promise<readonly Objection[]>;
}

/** The move of a folder with everything in it. */
export interface FolderMove {
  from: string;
  to: string;
}

/** Judges moves of folders; see {@link AssetGuard}. */
export interface FolderGuard<Prepared = unknown> {
  name: string;
  prepare?(db: Database, move: FolderMove): Promise<Prepared>;
  /** @param within the folder and its subfolders, locked */
  judge(
    tx: Transaction,
    move: FolderMove,
    within: readonly StoredFolder[],
    prepared: Prepared | undefined,
  ): Promise<readonly Objection[]>;
}

/** A newly imported asset. */
export interface ArrivedAsset {
  id: string;
  name: string;
  kind: Kind;
  mime: string;
  /** The path of its folder. */
  folder: string;
  /** A recorded picture that represents it: the preview of a link from its provider. */
  preview?: { sha256: string; bytes: number; width: number; height: number; mime: string } | undefined;
}

/** How an asset's bytes were replaced. */
export interface Replacement {
  before: AssetRow;
  after: AssetRow;
  /** No pixel has changed: renditions of the old bytes equal those of the new ones. */
  looksTheSame: boolean;
  /** The version that the new bytes are an optimised form of; null for any other replacement. */
  optimisedFrom: number | null;
}

/**
 * Reacts to changes to assets, in the same transaction and in dependency order of the rooms. Rows show the state
 * before the change, unless stated otherwise.
 */
export interface AssetListener {
  /**
   * Takes this room's locks before the library takes any: locking assets or counters first could cause deadlocks.
   *
   * @param paths the current and target folders of the assets; empty when they are given by id
   */
  lock?(tx: Transaction, about: { paths: readonly string[]; ids: readonly string[] }): Promise<void>;
  arrived?(tx: Transaction, assets: readonly ArrivedAsset[], by: string): Promise<void>;
  /** Its texts, focal point, name or folder have changed. */
  changed?(tx: Transaction, before: AssetRow, after: AssetRow, by: string): Promise<void>;
  replaced?(tx: Transaction, replacement: Replacement, by: string): Promise<void>;
  binned?(tx: Transaction, row: AssetRow, by: string): Promise<void>;
  restored?(tx: Transaction, row: AssetRow, by: string): Promise<void>;
  /** Deletes all data about permanently deleted assets. */
  purged?(tx: Transaction, ids: readonly string[]): Promise<void>;
  /** What the answer to an upload waits for, after the commit. Never throws. */
  awaited?(db: Database, ids: readonly string[]): Promise<void>;
}

/** An SQL condition with its bound values; lists are expanded (`IN (?)`). */
export interface SqlCondition {
  sql: string;
  values: (SqlValue | SqlValue[])[];
}

/** How to read matching assets when there are few: an alias `driver` joined with `assets`. */
export interface Driver {
  /** What follows FROM. */
  from: string;
  where: SqlCondition | null;
  /** Whether it implies the whole condition. */
  isComplete: boolean;
}

/** How a field of the filter language is implemented: a condition on the table `assets`. */
export interface FilterJoint<Value = unknown> {
  field: PluggedFilterField<Value>;
  toSql(value: Value): SqlCondition;
  /** How to read the assets when few match; by the primary key of `assets` when absent. */
  driver?(value: Value): Driver;
  /** Counts the matching live assets from stored counters; null when there are none. */
  count(db: Executor, value: Value): Promise<number | null>;
}

/** One rendition: the variant is empty for a recipe with one size. */
export interface RenditionPlace {
  asset: number;
  recipe: string;
  variant: string;
}

/** Counts the places that show renditions, by {@link placeKey}; those without one have no entry. */
export type RenditionUses = (
  db: Executor,
  places: readonly RenditionPlace[],
) => Promise<ReadonlyMap<string, number>>;

export function placeKey({ asset, recipe, variant }: RenditionPlace): string {
  return `${asset}/${recipe}/${variant}`;
}

/** Reacts to copies in stores besides the home store, in the transaction that records them. */
export interface CopyListener {
  /** What visitors can be sent to may have changed for these assets. */
  placed(tx: Transaction, assetIds: readonly number[]): Promise<void>;
}

/** An object in a store besides the home store. */
export interface StoreObject {
  storeId: number;
  key: string;
}

/** The one text that stands for an object. No path in the library looks like it: those begin with a slash. */
export function objectPlace({ storeId, key }: StoreObject): string {
  return `store:${storeId}/${key}`;
}

/** Finds which objects something still leads to, by {@link objectPlace}: they are not deleted yet. */
export type ObjectHolder = (db: Executor, objects: readonly StoreObject[]) => Promise<ReadonlySet<string>>;

/** What a room adds to the library. */
export interface LibraryJoints {
  fields?: readonly AssetField[];
  guards?: readonly AssetGuard[];
  folderGuards?: readonly FolderGuard[];
  listeners?: readonly AssetListener[];
  blobHolders?: readonly BlobHolder[];
  filters?: readonly FilterJoint[];
  renditionUses?: readonly RenditionUses[];
  copyListeners?: readonly CopyListener[];
  objectHolders?: readonly ObjectHolder[];
}

/** What all rooms add to the library, in dependency order. */
export type Joints = Readonly<Required<LibraryJoints>>;
