import { addToCounters } from '../shared/counters.js';
import type { Transaction } from '../shared/database.js';
import { findCopies, holdBlobs, insertCopies, type NewBlob } from './blob-queries.js';

/**
 * Records stored blobs and counts new copies towards their store. The blobs are locked, so that of two transactions
 * with the same bytes only one counts them.
 */
export async function recordBlobs(tx: Transaction, blobs: readonly NewBlob[]): Promise<void> {
  await holdBlobs(tx, inOrder(blobs));
  await recordHeldBlobs(tx, blobs);
}

/** The same for blobs that are already locked. */
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

/** Each blob once, ordered by digest to prevent deadlocks. */
export function inOrder<Blob extends { sha256: string }>(blobs: readonly Blob[]): Blob[] {
  return [...new Map(blobs.map((blob) => [blob.sha256, blob])).values()].sort((a, b) =>
    a.sha256 < b.sha256 ? -1 : 1,
  );
}
