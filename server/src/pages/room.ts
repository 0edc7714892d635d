import type { Room } from '../house/room.js';
import type { Inspector } from '../inspection/inspector.js';
import type { Joints } from '../library/joints.js';
import { repeatedly } from '../shared/repeatedly.js';
import type { Services } from '../shared/services.js';
import { crawlHandler } from './crawl.js';
import { crawlRun } from './crawl-run.js';
import { pageChanged, pageDeleted, sourceChanged, sourceDeleted, sourceIndexed } from './events.js';
import { pagesFlow } from './flow.js';
import { indexHandler, indexRun } from './index-source.js';
import { usedFilter, usesField, usesGuard, usesListener } from './library.js';
import { pageTypeRoutes } from './page-type-routes.js';
import { pickerRoutes } from './picker-routes.js';
import { countRenditionUses } from './reference-queries.js';
import { reportRoute } from './report-route.js';
import { editingRoute, revisionRoutes } from './revision-routes.js';
import { rewriteHandlers, rewriteRun, rewriteUndoRun } from './rewrite.js';
import { rewriteRoutes } from './rewrite-routes.js';
import { sitePageRoutes, slotRoutes, toolsFor } from './site-page-routes.js';
import { indexRoute, sourceRoutes } from './source-routes.js';
import { sweepReferences } from './sweep.js';
import { useRoutes } from './use-routes.js';
import { indexWatched } from './watch-sources.js';

/** The pages of sites: where they come from, and every place on them where a file is used. */
export function pagesRoom(services: Services, { inspector }: { inspector: Inspector }): Room {
  const pageRoutes = (joints: Joints) => {
    const tools = toolsFor(joints, inspector);
    return [
      ...sitePageRoutes(tools),
      ...slotRoutes(tools),
      ...revisionRoutes(tools),
      editingRoute,
      ...pageTypeRoutes,
    ];
  };
  return {
    name: 'pages',
    needs: ['stores', 'access', 'events', 'runs', 'inspection', 'library', 'recipes', 'serving'],
    runs: [indexRun, crawlRun, rewriteRun, rewriteUndoRun],
    events: [sourceChanged, sourceDeleted, sourceIndexed, pageChanged, pageDeleted],
    library: {
      fields: [usesField],
      guards: [usesGuard],
      listeners: [usesListener],
      filters: [usedFilter],
      renditionUses: [countRenditionUses],
    },
    flow: pagesFlow,
    routes: ({ joints }) => [
      ...pageRoutes(joints),
      ...sourceRoutes,
      indexRoute(inspector),
      ...useRoutes,
      ...pickerRoutes,
      reportRoute,
      ...rewriteRoutes(inspector),
    ],
    handlers: () => [
      indexHandler({ ...services, inspector }),
      crawlHandler({ ...services, inspector }),
      ...rewriteHandlers({ ...services, inspector }),
    ],
    sweeps: () => [{ name: 'references of pages', run: () => sweepReferences(services.db) }],
    open: async () => {
      const stop = repeatedly(
        services.config.watchMs,
        services.log,
        'watched sources could not be listed',
        () => indexWatched({ ...services, inspector }),
      );
      return async () => stop();
    },
  };
}
