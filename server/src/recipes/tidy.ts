import type { Database } from '../shared/database.js';
import { shrinkPictures } from './on-request-queries.js';
import { RESTORABLE_DAYS } from './surplus.js';
import { releaseRemoved } from './surplus-queries.js';

/** Lets go of removed renditions after their thirty days, and of pictures on request beyond what may be kept. */
export async function tidyDerived(
  db: Database,
  maxOnRequestBytes: number,
): Promise<{ released: number; forgotten: number }> {
  return {
    released: await releaseRemoved(db, RESTORABLE_DAYS),
    forgotten: await shrinkPictures(db, maxOnRequestBytes),
  };
}
