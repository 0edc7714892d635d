import type { Room } from '../house/room.js';
import { runChanged, runCreated, runEnded } from './events.js';
import { runsFlow } from './flow.js';
import { runProgress } from './progress.js';
import { runRoutes } from './routes.js';
import { workerRoutes } from './worker-routes.js';

/** Long work as runs with items, and the workers that process them. */
export function runsRoom(): Room {
  return {
    name: 'runs',
    needs: ['events'],
    events: [runCreated, runChanged, runEnded],
    live: [runProgress],
    flow: runsFlow,
    routes: ({ runs }) => [...workerRoutes, ...runRoutes(runs)],
  };
}
