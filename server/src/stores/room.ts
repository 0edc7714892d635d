import type { Room } from '../house/room.js';
import type { Services } from '../shared/services.js';

/** A file in staging that nobody has touched for so long belongs to a process that died. */
const ABANDONED_MS = 24 * 3_600_000;

/** Where bytes are kept. */
export function storesRoom({ store }: Services): Room {
  return {
    name: 'stores',
    needs: [],
    sweeps: () => [{ name: 'staging', run: () => store.sweepStaging(ABANDONED_MS) }],
  };
}
