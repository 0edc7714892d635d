import type { Room } from '../house/room.js';
import type { Services } from '../shared/services.js';
import { rulesChanged } from './events.js';
import { rulesFlow } from './flow.js';
import { rulesFolderGuard } from './folder-guard.js';
import { rulesGuard } from './guard.js';
import { rulesRoutes } from './routes.js';

/** What a folder accepts. */
export function rulesRoom({ config }: Services): Room {
  return {
    name: 'rules',
    needs: ['events', 'library'],
    events: [rulesChanged],
    library: { guards: [rulesGuard(config)], folderGuards: [rulesFolderGuard(config)] },
    flow: rulesFlow,
    routes: () => rulesRoutes,
  };
}
