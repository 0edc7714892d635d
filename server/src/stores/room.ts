import type { Room } from '../house/room.js';
import type { Services } from '../shared/services.js';

/** A staging file untouched for this long belongs to a dead process. */
const ABANDONED_MS = 24 * 3_600_000;

/** Where bytes are stored. */
export function storesRoom({ store }: Services): Room {
  return {
    name: 'stores',
    needs: [],
    sweeps: () => [{ name: 'staging', run: () => store.sweepStaging(ABANDONED_MS) }],
  };
}
