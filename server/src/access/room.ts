import type { Room } from '../house/room.js';
import { accessRoutes } from './routes.js';

/** Users, sessions, keys and rights. */
export function accessRoom(): Room {
  return { name: 'access', needs: [], routes: () => accessRoutes };
}
