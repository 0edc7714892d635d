import type { Database } from '../shared/database.js';
import { shrinkPictures } from './on-request-queries.js';
import { RESTORABLE_DAYS } from './surplus.js';
import { releaseRemoved } from './surplus-queries.js';

/** Releases deleted renditions after their thirty days, and on-request pictures beyond the cache limit. */
export async function tidyDerived(
  db: Database,
  maxOnRequestBytes: number,
): Promise<{ released: number; forgotten: number }> {
  return {
    released: await releaseRemoved(db, RESTORABLE_DAYS),
    forgotten: await shrinkPictures(db, maxOnRequestBytes),
  };
}
