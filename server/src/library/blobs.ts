import type { Transaction } from '../shared/database.js';
import { findCopies, insertBlobs, type NewBlob } from './blob-queries.js';
import { addToTallies } from './tallies.js';

/** Names kept blobs in the database and counts those copies that are new into their store. */
export async function recordBlobs(tx: Transaction, blobs: readonly NewBlob[]): Promise<void> {
  if (blobs.length === 0) return;
  // In one order, so that two transactions don't wait for each other.
  const unique = [...new Map(blobs.map((blob) => [blob.sha256, blob])).values()].sort((a, b) =>
    a.sha256 < b.sha256 ? -1 : 1,
  );
  const present = new Set(
    (
      await findCopies(
        tx,
        unique.map(({ sha256 }) => sha256),
      )
    ).map(({ sha256, store }) => `${sha256} ${store}`),
  );
  await insertBlobs(tx, unique);
  await addToTallies(
    tx,
    unique
      .filter(({ sha256, store }) => !present.has(`${sha256} ${store}`))
      .map(({ store, bytes }) => ({ scope: 'store', name: store, items: 1, bytes })),
  );
}
