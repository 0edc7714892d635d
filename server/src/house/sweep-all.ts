import { verifyCounts } from '../library/verify-counts.js';
import type { PooledDatabase } from '../shared/pooled-database.js';
import type { Services } from '../shared/services.js';
import type { Sweep } from '../shared/sweep.js';
import type { House } from './compose-rooms.js';

/** Runs the periodic cleanup of all rooms. A part that fails does not stop the others. */
export async function sweepAll(
  { log }: Pick<Services, 'log'>,
  db: PooledDatabase,
  house: Pick<House, 'sweeps' | 'plugged'>,
): Promise<void> {
  const counts: Sweep = {
    name: 'kept counts',
    run: () => verifyCounts(db, log, house.plugged.counts),
  };
  for (const { name, run } of [...house.sweeps(), counts])
    try {
      log.info({ sweep: name, result: await run() }, 'swept');
    } catch (error) {
      log.error({ err: error, sweep: name }, 'a sweep failed');
    }
}
