import type { Transaction } from '../shared/database.js';
import { insertBlob, type NewBlob } from './asset-queries.js';
import { addToTallies, type TallyChange } from './tallies.js';

/** Names kept blobs in the database and counts those that are new into their store. */
export async function recordBlobs(tx: Transaction, blobs: readonly NewBlob[]): Promise<void> {
  const changes: TallyChange[] = [];
  for (const blob of blobs) {
    if (await insertBlob(tx, blob))
      changes.push({ scope: 'store', name: blob.store, items: 1, bytes: blob.bytes });
  }
  await addToTallies(tx, changes);
}
