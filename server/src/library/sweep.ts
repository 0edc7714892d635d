import { type Database, inTransaction } from '../shared/database.js';
import type { ByteStore } from '../stores/byte-store.js';
import { deleteBlob, isBlobNamed, listUnnamedBlobs, lockBlob } from './blob-queries.js';

/** What a sweep did. */
export interface Swept {
  discarded: number;
  broughtBack: number;
  removed: number;
}

const BATCH = 500;

/**
 * Removes bytes that nothing names any more: of purged assets, of archives that were unpacked. They are put aside first
 * and removed a day later; should something have named them meanwhile, they are brought back. So a file that comes in
 * at the same moment with the same bytes is not lost.
 */
export async function sweepBlobs(
  db: Database,
  store: ByteStore,
  { minAgeHours = 24 }: { minAgeHours?: number } = {},
): Promise<Swept> {
  const swept: Swept = { discarded: 0, broughtBack: 0, removed: 0 };
  for (const { sha256, sinceMs } of await store.listAside()) {
    if (await isBlobNamed(db, sha256)) {
      await store.bringBack(sha256);
      swept.broughtBack += 1;
    } else if (Date.now() - sinceMs > minAgeHours * 3_600_000) {
      await store.removeAside(sha256);
      swept.removed += 1;
    }
  }
  const digests = await listUnnamedBlobs(db, { minAgeHours, limit: BATCH });
  for (const sha256 of digests) {
    const isGone = await inTransaction(db, async (tx) => {
      await lockBlob(tx, sha256);
      if (await isBlobNamed(tx, sha256)) return false;
      await deleteBlob(tx, sha256);
      return true;
    });
    if (!isGone) continue;
    await store.putAside(sha256);
    swept.discarded += 1;
  }
  return swept;
}
