import type { Logger } from 'pino';
import { inTransaction } from '../shared/database.js';
import { discardCopies, findCopiesById, listDiscarded, listLongStale } from './copy-queries.js';
import { deleteOrphanedPlacements } from './placement-queries.js';
import { listStores } from './store-queries.js';
import { type CopyTools, deleteObjects } from './upload.js';

/** Pages elsewhere may still show a file that was replaced; its copies stay this long. */
const STALE_DAYS = 30;
const BATCH = 500;

/** What was cleaned up. */
export interface SweptCopies {
  discarded: number;
  deleted: number;
}

/** Discards copies of bytes that the library has not shown for a while, and deletes discarded objects. */
export async function sweepCopies(
  tools: CopyTools,
  log: Logger,
  { staleDays = STALE_DAYS }: { staleDays?: number } = {},
): Promise<SweptCopies> {
  const { db } = tools;
  await deleteOrphanedPlacements(db);
  const swept: SweptCopies = { discarded: 0, deleted: 0 };
  const stale = await listLongStale(db, { days: staleDays, limit: BATCH });
  await inTransaction(db, async (tx) => {
    const rows = await findCopiesById(tx, stale, { lock: true });
    const still = rows.filter(({ stale_at }) => stale_at !== null);
    await discardCopies(tx, still);
    swept.discarded = still.length;
  });
  for (const store of await listStores(db)) {
    let after = 0;
    for (;;) {
      const some = await listDiscarded(db, { storeId: store.id, after, limit: BATCH });
      const last = some.at(-1);
      if (!last) break;
      after = last.id;
      try {
        const refused = await deleteObjects(tools, some);
        swept.deleted += some.length - refused.length;
      } catch (error) {
        // Its objects stay listed until it can be reached again; other stores don't wait for it.
        log.warn({ store: store.name, err: error }, 'objects of a store could not be deleted yet');
        break;
      }
    }
  }
  return swept;
}
