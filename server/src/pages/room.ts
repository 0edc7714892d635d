import type { Room } from '../house/room.js';
import type { Inspector } from '../inspection/inspector.js';
import type { Services } from '../shared/services.js';
import { sourceChanged, sourceDeleted, sourceIndexed } from './events.js';
import { pagesFlow } from './flow.js';
import { indexHandler, indexRun } from './index-source.js';
import { usedFilter, usesField, usesGuard, usesListener } from './library.js';
import { rewriteHandlers, rewriteRun, rewriteUndoRun } from './rewrite.js';
import { rewriteRoutes } from './rewrite-routes.js';
import { sourceRoutes } from './source-routes.js';
import { sweepReferences } from './sweep.js';
import { useRoutes } from './use-routes.js';

/** The pages of sites: where they come from, and every place on them where a file is used. */
export function pagesRoom(services: Services, { inspector }: { inspector: Inspector }): Room {
  return {
    name: 'pages',
    needs: ['stores', 'events', 'runs', 'inspection', 'library', 'recipes', 'serving'],
    runs: [indexRun, rewriteRun, rewriteUndoRun],
    events: [sourceChanged, sourceDeleted, sourceIndexed],
    library: {
      fields: [usesField],
      guards: [usesGuard],
      listeners: [usesListener],
      filters: [usedFilter],
    },
    flow: pagesFlow,
    routes: () => [...sourceRoutes, ...useRoutes, ...rewriteRoutes(inspector)],
    handlers: () => [
      indexHandler({ ...services, inspector }),
      ...rewriteHandlers({ ...services, inspector }),
    ],
    sweeps: () => [{ name: 'references of pages', run: () => sweepReferences(services.db) }],
  };
}
