import { setMaxListeners } from 'node:events';
import type { Readable } from 'node:stream';
import { findAssets } from '../library/asset-queries.js';
import { type Joints, objectPlace, type StoreObject } from '../library/joints.js';
import { arePrivate } from '../library/visibility.js';
import type { ByteStore } from '../shared/byte-store.js';
import type { ByteRange, CopySource } from '../shared/copy-store.js';
import { type Database, type Executor, inTransaction, type Transaction } from '../shared/database.js';
import { UniferumError } from '../shared/errors.js';
import type { Buckets, OpenStore } from './buckets.js';
import {
  type CopyRow,
  type DiscardedRow,
  deleteDiscarded,
  findCopiesById,
  findGoodCopies,
  updateCopies,
} from './copy-queries.js';
import { addSent } from './history-queries.js';

/** What storing and deleting copies requires. */
export interface CopyTools {
  db: Database;
  /** The home store. */
  store: ByteStore;
  buckets: Buckets;
  joints: Pick<Joints, 'blobHolders' | 'copyListeners' | 'objectHolders'>;
}

/** Why a copy could not be stored. */
export interface RefusedCopy {
  copy: CopyRow;
  reason: string;
}

/** Uploads at once, over all stores; a store's own limit may be lower. */
const PARALLEL = 8;
/** Copies that are recorded together. */
const RECORDED_TOGETHER = 32;
/** Nothing at a versioned key ever changes. */
const FOREVER = 'max-age=31536000, immutable';

/**
 * Stores copies, and records them as they arrive: what is recorded stays so when the rest fails.
 *
 * @returns those that could not be stored, and why
 * @throws UniferumError `store-away`, `storage-full` when a later attempt may succeed; the copies then wait
 */
export async function storeCopies(
  tools: CopyTools,
  wanted: readonly CopyRow[],
  signal: AbortSignal,
): Promise<RefusedCopy[]> {
  const refused: RefusedCopy[] = [];
  // Every upload listens for the end of the run.
  setMaxListeners(0, signal);
  for (let at = 0; at < wanted.length; at += RECORDED_TOGETHER) {
    const some = wanted.slice(at, at + RECORDED_TOGETHER);
    await record(tools, some, 'uploading');
    const stored: { copy: CopyRow; etag: string }[] = [];
    const failed: RefusedCopy[] = [];
    let fault: unknown = null;
    await inParallel(some, PARALLEL, async (copy) => {
      // One fault of a store stops the rest: they would all meet it.
      if (fault !== null || signal.aborted) return;
      try {
        stored.push({ copy, etag: await storeOne(tools, copy, signal) });
      } catch (error) {
        if (isAboutOneCopy(error)) failed.push({ copy, reason: error.message });
        else fault = error;
      }
    });
    await recordStored(tools, stored);
    for (const { copy, reason } of failed) await record(tools, [copy], 'wanted', reason);
    refused.push(...failed);
    const left = some.filter((copy) => ![...stored, ...failed].some(({ copy: { id } }) => id === copy.id));
    if (left.length > 0) await record(tools, left, 'wanted');
    if (fault !== null) throw fault;
    signal.throwIfAborted();
  }
  return refused;
}

/** Faults of this key or these bytes, which another attempt would meet again. */
function isAboutOneCopy(error: unknown): error is UniferumError {
  return (
    error instanceof UniferumError && ['store-refused', 'bytes-damaged', 'not-found'].includes(error.code)
  );
}

/** @returns the entity tag of the object */
async function storeOne(tools: CopyTools, copy: CopyRow, signal: AbortSignal): Promise<string> {
  const bucket = await tools.buckets.open(tools.db, copy.store_id);
  const source = await sourceOf(tools, copy);
  const visibility = bucket.isPublic ? 'public' : 'private';
  const { etag } = await bucket.objects.put(
    copy.store_key,
    source,
    { mime: copy.mime, cacheControl: `${visibility}, ${FOREVER}` },
    { signal },
  );
  return etag;
}

/** The bytes of a copy: from the home store, or from a good copy elsewhere. @throws UniferumError `not-found` */
async function sourceOf(
  { db, store, buckets }: CopyTools,
  { sha256, bytes, id }: CopyRow,
): Promise<CopySource> {
  // What is elsewhere only is not brought back for this.
  if ((await store.measure(sha256)) !== null)
    return { sha256, bytes, open: (range) => store.open(sha256, range) };
  const [other] = (await findGoodCopies(db, sha256)).filter((copy) => copy.id !== id);
  if (!other) throw new UniferumError('not-found', 'There is no good copy of these bytes to copy them from.');
  const { objects } = await buckets.open(db, other.store_id);
  return { sha256, bytes, open: (range?: ByteRange): Promise<Readable> => openAt(objects, other, range) };
}

function openAt(objects: OpenStore['objects'], { store_key }: CopyRow, range?: ByteRange): Promise<Readable> {
  return objects.open(store_key, range ? { range } : {});
}

async function record(
  { db }: CopyTools,
  copies: readonly CopyRow[],
  state: 'uploading' | 'wanted',
  error: string | null = null,
): Promise<void> {
  await inTransaction(db, async (tx) => {
    const rows = await findCopiesById(
      tx,
      copies.map(({ id }) => id),
      { lock: true },
    );
    const open = rows.filter((row) => row.state === 'wanted' || row.state === 'uploading');
    await updateCopies(tx, open, { state, error });
  });
}

/** Records stored copies. What was dropped meanwhile is deleted again: its key is in nobody's list any more. */
async function recordStored(
  tools: CopyTools,
  stored: readonly { copy: CopyRow; etag: string }[],
): Promise<void> {
  if (stored.length === 0) return;
  const ids = stored.map(({ copy }) => copy.id);
  const known = await inTransaction(tools.db, async (tx) => {
    const rows = await findCopiesById(tx, ids, { lock: true });
    for (const row of rows) {
      const etag = stored.find(({ copy }) => copy.id === row.id)?.etag ?? null;
      await updateCopies(tx, [row], { state: 'stored', etag, isChecked: true });
    }
    await announcePlaced(tx, tools, rows);
    await addSent(tx, sentTo(rows));
    return new Set(rows.map(({ id }) => id));
  });
  for (const { copy } of stored) {
    if (known.has(copy.id)) continue;
    const { objects } = await tools.buckets.open(tools.db, copy.store_id);
    await objects.delete(copy.store_key);
  }
}

/** The bytes of stored copies, by store. */
function sentTo(copies: readonly Pick<CopyRow, 'store_id' | 'bytes'>[]): Map<number, number> {
  const sent = new Map<number, number>();
  for (const { store_id, bytes } of copies) sent.set(store_id, (sent.get(store_id) ?? 0) + bytes);
  return sent;
}

/** Tells the other rooms that what visitors can be sent to may have changed. */
export async function announcePlaced(
  tx: Transaction,
  { joints }: Pick<CopyTools, 'joints'>,
  copies: readonly Pick<CopyRow, 'asset_id'>[],
): Promise<void> {
  const assets = [...new Set(copies.map(({ asset_id }) => asset_id))].sort((a, b) => a - b);
  if (assets.length === 0) return;
  for (const listener of joints.copyListeners) await listener.placed(tx, assets);
}

/**
 * Deletes objects and forgets them. What a store refuses to delete stays listed, and so does what pages still show.
 *
 * @throws UniferumError `store-away` when a later attempt may succeed
 */
export async function deleteObjects(
  tools: CopyTools,
  discarded: readonly DiscardedRow[],
  signal?: AbortSignal,
): Promise<RefusedObject[]> {
  const refused: RefusedObject[] = [];
  for (let at = 0; at < discarded.length; at += RECORDED_TOGETHER) {
    signal?.throwIfAborted();
    const gone: DiscardedRow[] = [];
    let fault: unknown = null;
    const { free, held } = await splitHeld(tools, discarded.slice(at, at + RECORDED_TOGETHER));
    refused.push(...held.map((object) => ({ object, reason: null })));
    await inParallel(free, PARALLEL, async (object) => {
      if (fault !== null) return;
      try {
        const { objects } = await tools.buckets.open(tools.db, object.store_id);
        await objects.delete(object.store_key, signal ? { signal } : {});
        gone.push(object);
      } catch (error) {
        if (isAboutOneCopy(error)) refused.push({ object, reason: error.message });
        else fault = error;
      }
    });
    await inTransaction(tools.db, (tx) => deleteDiscarded(tx, gone));
    if (fault !== null) throw fault;
  }
  return refused;
}

/** An object that is not deleted. */
export interface RefusedObject {
  object: DiscardedRow;
  /** Why the store refuses to; null for one that pages still show. */
  reason: string | null;
}

/** Which objects something else leads to, or has stored. */
export async function findHeld(
  db: Executor,
  { objectHolders }: Pick<Joints, 'objectHolders'>,
  objects: readonly StoreObject[],
): Promise<Set<string>> {
  const held = new Set<string>();
  if (objects.length === 0) return held;
  for (const find of objectHolders) for (const place of await find(db, objects)) held.add(place);
  return held;
}

/** Which objects pages still lead to. Nothing holds those of private files, and of files that were deleted for good. */
async function splitHeld(
  { db, joints }: CopyTools,
  discarded: readonly DiscardedRow[],
): Promise<{ free: DiscardedRow[]; held: DiscardedRow[] }> {
  const assets = await findAssets(db, [...new Set(discarded.map(({ asset_id }) => asset_id))]);
  const secret = await arePrivate(db, assets);
  const open = new Set(assets.map(({ id }) => id).filter((id) => !secret.has(id)));
  const objectOf = ({ store_id, store_key }: DiscardedRow) => ({ storeId: store_id, key: store_key });
  const candidates = discarded.filter(({ asset_id }) => open.has(asset_id));
  const used = await findHeld(db, joints, candidates.map(objectOf));
  const isHeld = (row: DiscardedRow) => open.has(row.asset_id) && used.has(objectPlace(objectOf(row)));
  return { free: discarded.filter((row) => !isHeld(row)), held: discarded.filter(isHeld) };
}

/** Works on a list with some entries at a time. */
async function inParallel<Entry>(
  entries: readonly Entry[],
  atOnce: number,
  work: (entry: Entry) => Promise<void>,
): Promise<void> {
  const queue = entries.values();
  await Promise.all(
    Array.from({ length: Math.min(atOnce, entries.length) }, async () => {
      for (const entry of queue) await work(entry);
    }),
  );
}
