import { Buckets } from '../copies/buckets.js';
import type { Room } from '../house/room.js';
import type { Inspector } from '../inspection/inspector.js';
import type { Joints } from '../library/joints.js';
import { repeatedly } from '../shared/repeatedly.js';
import type { Services } from '../shared/services.js';
import { crawlHandler } from './crawl.js';
import { crawlRun } from './crawl-run.js';
import * as events from './events.js';
import { pagesFlow } from './flow.js';
import { followCopies, followHandler, followListener, followRun, holdShown } from './follow-copies.js';
import { indexHandler, indexRun } from './index-source.js';
import { usedFilter, usesField, usesGuard, usesListener } from './library.js';
import { pageTypeRoutes } from './page-type-routes.js';
import { pickerRoutes } from './picker-routes.js';
import { countRenditionUses } from './reference-queries.js';
import { reportRoute } from './report-route.js';
import { editingRoute, revisionRoutes } from './revision-routes.js';
import { rewriteHandlers, rewriteRun, rewriteUndoRun } from './rewrite.js';
import { rewriteRoutes } from './rewrite-routes.js';
import { followSiteBases, placeSiteHandler, placeSiteRun } from './site-assets/place-release.js';
import { siteAssetRoutes } from './site-assets/routes.js';
import { holdSiteFiles, sweepSiteFiles } from './site-assets/sweep.js';
import { sitePageRoutes, slotRoutes, toolsFor } from './site-page-routes.js';
import { indexRoute, sourceRoutes } from './source-routes.js';
import { sweepReferences } from './sweep.js';
import { useRoutes } from './use-routes.js';
import { indexWatched } from './watch-sources.js';

/** How soon pages follow the copies of their files. */
const FOLLOW_MS = 2000;

/** The pages of sites: where they come from, and every place on them where a file is used. */
export function pagesRoom(services: Services, { inspector }: { inspector: Inspector }): Room {
  const buckets = new Buckets(services.config);
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
    needs: ['stores', 'access', 'events', 'runs', 'inspection', 'library', 'recipes', 'copies', 'serving'],
    runs: [indexRun, crawlRun, rewriteRun, rewriteUndoRun, followRun, placeSiteRun],
    events: Object.values(events),
    library: {
      fields: [usesField],
      guards: [usesGuard],
      listeners: [usesListener],
      filters: [usedFilter],
      renditionUses: [countRenditionUses],
      copyListeners: [followListener],
      objectHolders: [holdShown, holdSiteFiles],
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
      ...siteAssetRoutes({ buckets, inspector }),
    ],
    handlers: () => [
      indexHandler({ ...services, inspector }),
      crawlHandler({ ...services, inspector }),
      ...rewriteHandlers({ ...services, inspector }),
      followHandler({ ...services, inspector }),
      placeSiteHandler({ ...services, inspector, buckets }),
    ],
    sweeps: () => [
      { name: 'references of pages', run: () => sweepReferences(services.db) },
      {
        name: 'earlier site assets',
        run: () => sweepSiteFiles({ ...services, buckets }, services.log),
      },
    ],
    open: async () => openPages({ ...services, inspector, buckets }),
    close: async () => buckets.close(),
  };
}

/** Looks at watched sources, and lets pages follow their files. @returns what ends it */
function openPages(services: Services & { inspector: Inspector; buckets: Buckets }): () => Promise<void> {
  const stop = repeatedly(services.config.watchMs, services.log, 'watched sources could not be listed', () =>
    indexWatched(services),
  );
  const stopFollowing = repeatedly(
    FOLLOW_MS,
    services.log,
    'pages could not be looked at after copies were placed',
    async () => {
      await followCopies(services.db);
      await followSiteBases(services);
    },
  );
  return async () => {
    stop();
    stopFollowing();
  };
}
