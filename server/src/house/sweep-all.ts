import { verifyCounts } from '../library/verify-counts.js';
import type { PooledDatabase } from '../shared/pooled-database.js';
import type { Services } from '../shared/services.js';
import type { Sweep } from '../shared/sweep.js';
import type { House } from './compose-rooms.js';

/** Does what has to be done now and then, whoever does it. A part that fails doesn't keep the others from being done. */
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
