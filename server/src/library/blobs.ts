import { addToCounters } from '../shared/counters.js';
import type { Transaction } from '../shared/database.js';
import { findCopies, holdBlobs, insertCopies, type NewBlob } from './blob-queries.js';

/**
 * Names kept blobs in the database and counts those copies that are new into their store. The blobs are held, so that of
 * two who bring the same bytes only one counts them.
 */
export async function recordBlobs(tx: Transaction, blobs: readonly NewBlob[]): Promise<void> {
  await holdBlobs(tx, inOrder(blobs));
  await recordHeldBlobs(tx, blobs);
}

/** The same for blobs that are held already. */
export async function recordHeldBlobs(tx: Transaction, blobs: readonly NewBlob[]): Promise<void> {
  if (blobs.length === 0) return;
  const unique = inOrder(blobs);
  const present = new Set(
    (
      await findCopies(
        tx,
        unique.map(({ sha256 }) => sha256),
      )
    ).map(({ sha256, store }) => `${sha256} ${store}`),
  );
  const fresh = unique.filter(({ sha256, store }) => !present.has(`${sha256} ${store}`));
  if (fresh.length === 0) return;
  await insertCopies(tx, fresh);
  await addToCounters(
    tx,
    fresh.map(({ store, bytes }) => ({ scope: 'store', name: store, items: 1, bytes })),
  );
}

/** Each blob once, in the order of the digests, so that two transactions don't wait for each other. */
export function inOrder<Blob extends { sha256: string }>(blobs: readonly Blob[]): Blob[] {
  return [...new Map(blobs.map((blob) => [blob.sha256, blob])).values()].sort((a, b) =>
    a.sha256 < b.sha256 ? -1 : 1,
  );
}
