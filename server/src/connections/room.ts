import type { Room } from '../house/room.js';
import { connectionChanged, connectionDeleted } from './events.js';
import { connectionRoutes } from './routes.js';

/** Addresses and credentials of outside systems. */
export function connectionsRoom(): Room {
  return {
    name: 'connections',
    needs: ['stores', 'events'],
    events: [connectionChanged, connectionDeleted],
    routes: () => connectionRoutes,
  };
}
