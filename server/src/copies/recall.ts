import type { Readable } from 'node:stream';
import { findBlob } from '../library/blob-queries.js';
import { recordBlobs } from '../library/blobs.js';
import { updateHomeDamage } from '../library/home-copy-queries.js';
import type { ByteStore, StagedBytes } from '../shared/byte-store.js';
import { type Database, inTransaction } from '../shared/database.js';
import { SharedWork } from '../shared/shared-work.js';
import type { Buckets } from './buckets.js';
import { type CopyRow, findCopiesById, findGoodCopies, updateCopies } from './copy-queries.js';

interface Tools {
  db: Database;
  store: ByteStore;
  buckets: Buckets;
}

/** Fetches in progress, so that everybody who waits for the same bytes shares one. */
const inFlight = new SharedWork<boolean>();

/**
 * Brings bytes back to the home store from the best good copy elsewhere. A copy whose bytes are other ones is recorded
 * as damaged, and the next one is tried.
 *
 * @param options.isReplaced what the home store has is damaged, and makes way once good bytes are here
 * @returns false when there is no good copy
 * @throws UniferumError `store-away` when the stores that hold one can't be reached now
 */
export function recall(
  tools: Tools,
  sha256: string,
  { isReplaced = false }: { isReplaced?: boolean } = {},
): Promise<boolean> {
  const key = `${isReplaced} ${tools.store.name} ${sha256}`;
  return inFlight.wait(key, undefined, () => fetchBack(tools, sha256, isReplaced));
}

async function fetchBack(tools: Tools, sha256: string, isReplaced: boolean): Promise<boolean> {
  const { db, store } = tools;
  const blob = await findBlob(db, sha256);
  if (blob === null) return false;
  let fault: unknown = null;
  for (const copy of await findGoodCopies(db, sha256)) {
    try {
      const staged = await fetchFrom(tools, copy);
      if (staged === null) continue;
      try {
        if (isReplaced) await makeWay(store, sha256);
        await inTransaction(db, async (tx) => {
          await recordBlobs(tx, [{ sha256, crc32: blob.crc32, bytes: blob.bytes, ...staged.copy }]);
          await staged.keep();
          await updateHomeDamage(tx, store.name, [sha256], false);
        });
      } finally {
        await staged.discard();
      }
      return true;
    } catch (error) {
      fault = error;
    }
  }
  if (fault !== null) throw fault;
  return false;
}

/** Set aside first: a damaged file is gone only when it can't be taken for a good one any more. */
async function makeWay(store: ByteStore, sha256: string): Promise<void> {
  if ((await store.measure(sha256)) === null) return;
  await store.quarantine(sha256);
  await store.deleteQuarantined(sha256);
}

/** @returns null when the copy is missing or damaged, which is recorded */
async function fetchFrom({ db, store, buckets }: Tools, copy: CopyRow): Promise<StagedBytes | null> {
  const { objects } = await buckets.open(db, copy.store_id);
  const stream: Readable | null = await objects.open(copy.store_key).catch((error) => {
    if (error.code === 'not-found') return null;
    throw error;
  });
  const staged = stream && (await store.stage(stream, { limitBytes: Number.POSITIVE_INFINITY }));
  if (staged?.sha256 === copy.sha256) return staged;
  await staged?.discard();
  await inTransaction(db, async (tx) => {
    const [row] = await findCopiesById(tx, [copy.id], { lock: true });
    if (row?.state !== 'stored') return;
    const error = staged ? 'Its bytes are other ones than those that were stored.' : 'It is missing.';
    await updateCopies(tx, [row], { state: 'damaged', error, isChecked: true });
  });
  return null;
}
