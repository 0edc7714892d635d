import { Buckets } from '../copies/buckets.js';
import type { Room } from '../house/room.js';
import type { Inspector } from '../inspection/inspector.js';
import type { Rendering } from '../recipes/rendering.js';
import type { Services } from '../shared/services.js';
import * as events from './events.js';
import { FolderSettings } from './folder-settings.js';
import { deleteExpiredLinks, deleteLinksOf } from './link-queries.js';
import { linkRoutes } from './link-routes.js';
import { mediaRoutes } from './media-routes.js';
import { PublicOriginals } from './public-originals.js';
import { deleteOrphanedPublicOriginals } from './queries.js';

/** The public URLs of originals and renditions. */
export function servingRoom(
  services: Services,
  { inspector, rendering }: { inspector: Inspector; rendering: Rendering },
): Room {
  const { db, store, config } = services;
  const buckets = new Buckets(config);
  return {
    name: 'serving',
    needs: ['stores', 'events', 'inspection', 'library', 'recipes', 'copies'],
    events: Object.values(events),
    library: { listeners: [{ purged: deleteLinksOf }] },
    routes({ joints }) {
      const originals = new PublicOriginals(db, store, inspector);
      const settings = new FolderSettings();
      return [
        ...mediaRoutes((given) => ({ ...given, joints, rendering, originals, settings, buckets })),
        ...linkRoutes,
      ];
    },
    sweeps: () => [
      { name: 'public forms of originals that are gone', run: () => deleteOrphanedPublicOriginals(db) },
      { name: 'links that have expired', run: () => deleteExpiredLinks(db) },
    ],
    close: async () => buckets.close(),
  };
}
