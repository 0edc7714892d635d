import type { Logger } from 'pino';
import { type ObjectHolder, objectPlace } from '../../library/joints.js';
import { inTransaction } from '../../shared/database.js';
import { groupBy } from '../../shared/group.js';
import { holdShown } from '../follow-copies.js';
import type { SiteTools } from './place-release.js';
import { deleteSiteFiles, findSiteObjects, listReplaced } from './queries.js';

/** Visitors may have an earlier release in their caches, and pages elsewhere may still lead to it. */
const REPLACED_DAYS = 30;
const BATCH = 500;

/** Deletes the files of earlier releases, unless a page leads to them. @returns how many */
export async function sweepSiteFiles(
  { db, buckets }: SiteTools,
  log: Logger,
  { days = REPLACED_DAYS }: { days?: number } = {},
): Promise<number> {
  let deleted = 0;
  for (let after = 0; ; ) {
    const some = await listReplaced(db, { days, after, limit: BATCH });
    const last = some.at(-1);
    if (!last) return deleted;
    after = last.id;
    const shown = await holdShown(
      db,
      some.map(({ store_id, store_key }) => ({ storeId: store_id, key: store_key })),
    );
    const free = some.filter(
      ({ store_id, store_key }) => !shown.has(objectPlace({ storeId: store_id, key: store_key })),
    );
    for (const [storeId, files] of groupBy(free, ({ store_id }) => store_id))
      try {
        const { objects } = await buckets.open(db, storeId);
        for (const { store_key } of files) await objects.delete(store_key);
        await inTransaction(db, (tx) =>
          deleteSiteFiles(
            tx,
            files.map(({ id }) => id),
          ),
        );
        deleted += files.length;
      } catch (error) {
        log.warn({ store: storeId, err: error }, 'earlier site assets could not be deleted yet');
      }
  }
}

/** Audits take no file of a release for a surplus object. */
export const holdSiteFiles: ObjectHolder = async (db, objects) =>
  new Set((await findSiteObjects(db, objects)).map(objectPlace));
