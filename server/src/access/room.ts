import type { Room } from '../house/room.js';
import type { Services } from '../shared/services.js';
import { accessRoutes } from './routes.js';
import { deleteExpiredTokens } from './token-queries.js';

/** Users, sessions, keys, tokens and rights. */
export function accessRoom({ db }: Services): Room {
  return {
    name: 'access',
    needs: [],
    routes: () => accessRoutes,
    sweeps: () => [{ name: 'expired tokens', run: () => deleteExpiredTokens(db) }],
  };
}
