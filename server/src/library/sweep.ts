import { type Database, inTransaction } from '../shared/database.js';
import {
  deleteBlob,
  findCopies,
  findRecorded,
  isBlobReferenced,
  listUnreferencedBlobs,
  lockBlob,
} from './blob-queries.js';
import type { LibraryTools } from './tools.js';

/** The result of a cleanup. */
export interface Swept {
  discarded: number;
  restored: number;
  removed: number;
}

const BATCH = 500;
const LOOKED_UP = 1000;

/**
 * Deletes unreferenced blobs: of purged assets, unpacked archives, files refused after storing, or dead processes.
 * They are quarantined first and deleted one day later; if something references them in the meantime, they are
 * restored. So a file with the same bytes that arrives at the same moment is not lost.
 */
export async function sweepBlobs(
  { db, store, joints: { blobHolders } }: Pick<LibraryTools, 'db' | 'store' | 'joints'>,
  { minAgeHours = 24 }: { minAgeHours?: number } = {},
): Promise<Swept> {
  const swept: Swept = { discarded: 0, restored: 0, removed: 0 };
  for (const { sha256, sinceMs } of await store.listQuarantined()) {
    if (await isBlobReferenced(db, blobHolders, sha256)) {
      // Those that are stored elsewhere were set aside to be deleted here.
      if (!(await isStoredIn(db, store.name, sha256))) {
        await store.deleteQuarantined(sha256);
        continue;
      }
      await store.restoreQuarantined(sha256);
      swept.restored += 1;
    } else if (Date.now() - sinceMs > minAgeHours * 3_600_000) {
      await store.deleteQuarantined(sha256);
      swept.removed += 1;
    }
  }
  const digests = await listUnreferencedBlobs(db, blobHolders, { minAgeHours, limit: BATCH });
  for (const sha256 of digests) {
    const isGone = await inTransaction(db, async (tx) => {
      await lockBlob(tx, sha256);
      if (await isBlobReferenced(tx, blobHolders, sha256)) return false;
      await deleteBlob(tx, sha256);
      return true;
    });
    if (!isGone) continue;
    await store.quarantine(sha256);
    swept.discarded += 1;
  }
  for await (const kept of store.listKept())
    for (const sha256 of await findUnrecorded(db, kept)) {
      const sinceMs = await store.keptSince(sha256);
      if (sinceMs === null || Date.now() - sinceMs <= minAgeHours * 3_600_000) continue;
      await store.quarantine(sha256);
      swept.discarded += 1;
    }
  return swept;
}

async function isStoredIn(db: Database, store: string, sha256: string): Promise<boolean> {
  return (await findCopies(db, [sha256])).some((copy) => copy.store === store);
}

async function findUnrecorded(db: Database, digests: readonly string[]): Promise<string[]> {
  const unrecorded: string[] = [];
  for (let at = 0; at < digests.length; at += LOOKED_UP) {
    const some = digests.slice(at, at + LOOKED_UP);
    const recorded = await findRecorded(db, some);
    unrecorded.push(...some.filter((sha256) => !recorded.has(sha256)));
  }
  return unrecorded;
}
