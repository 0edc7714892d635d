import type { Logger } from 'pino';
import { type ObjectHolder, objectPlace } from '../../library/joints.js';
import { inTransaction, type Transaction } from '../../shared/database.js';
import { groupBy } from '../../shared/group.js';
import { holdShown } from '../follow-copies.js';
import type { SiteTools } from './place-release.js';
import {
  deleteSiteFiles,
  findSiteFolder,
  findSiteObjects,
  listReplaced,
  listReplacedAmong,
  type SiteFile,
  updateStored,
} from './queries.js';

/** Visitors may have an earlier release in their caches, and pages elsewhere may still lead to it. */
const REPLACED_DAYS = 30;
/** Few, because their folder is locked while the store deletes them. */
const BATCH = 50;

/** Deletes the files of earlier releases, unless a page leads to them. @returns how many */
export async function sweepSiteFiles(
  { db, buckets }: Pick<SiteTools, 'db' | 'buckets'>,
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
    for (const [folder, files] of groupBy(free, ({ folder_id }) => String(folder_id)))
      try {
        deleted += await deleteFiles({ db, buckets }, folder, files);
      } catch (error) {
        log.warn({ folder, err: error }, 'earlier site assets could not be deleted yet');
      }
  }
}

function idsOf(files: readonly SiteFile[]): number[] {
  return files.map(({ id }) => id);
}

/**
 * Deletes files of one folder that no release has again. Before anything is deleted they are recorded as not stored, so
 * that a release that has them again stores them again, whenever this is ended.
 */
async function deleteFiles(
  { db, buckets }: Pick<SiteTools, 'db' | 'buckets'>,
  folder: string,
  files: readonly SiteFile[],
): Promise<number> {
  const { objects } = await buckets.open(db, (files[0] as SiteFile).store_id);
  const findReplaced = async (tx: Transaction) => {
    // While it lasts, no release of the folder can have them again.
    await findSiteFolder(tx, folder, { lock: true });
    return listReplacedAmong(tx, idsOf(files));
  };
  await inTransaction(db, async (tx) => updateStored(tx, idsOf(await findReplaced(tx)), { isStored: false }));
  return inTransaction(db, async (tx) => {
    const replaced = await findReplaced(tx);
    for (const { store_key } of replaced) await objects.delete(store_key);
    await deleteSiteFiles(tx, idsOf(replaced));
    return replaced.length;
  });
}

/** Audits take no file of a release for a surplus object. */
export const holdSiteFiles: ObjectHolder = async (db, objects) =>
  new Set((await findSiteObjects(db, objects)).map(objectPlace));
