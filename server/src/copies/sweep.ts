import type { Logger } from 'pino';
import { inTransaction } from '../shared/database.js';
import { type CopyRow, discardCopies, findCopiesById, listDiscarded, listLongStale } from './copy-queries.js';
import { isLast } from './last-copy.js';
import { deleteOrphanedPlacements } from './placement-queries.js';
import { recall } from './recall.js';
import { listStores } from './store-queries.js';
import { announcePlaced, type CopyTools, deleteObjects } from './upload.js';

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
  for (const row of await findCopiesById(db, stale)) await saveLast(tools, row, log);
  await inTransaction(db, async (tx) => {
    const rows = await findCopiesById(tx, stale, { lock: true });
    const still: CopyRow[] = [];
    for (const row of rows)
      if (row.stale_at !== null && !(await isLast(tx, tools.store, row))) still.push(row);
    await discardCopies(tx, still);
    await announcePlaced(tx, tools, still);
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

/** Brings bytes back to the home store before their last copy elsewhere goes. */
async function saveLast(tools: CopyTools, copy: CopyRow, log: Logger): Promise<void> {
  if (!(await isLast(tools.db, tools.store, copy))) return;
  await recall(tools, copy.sha256).catch((error) =>
    log.warn({ err: error, copy: copy.id }, 'a last copy stays until its bytes can be brought back'),
  );
}
