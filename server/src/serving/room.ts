import type { Room } from '../house/room.js';
import type { Inspector } from '../inspection/inspector.js';
import type { Rendering } from '../recipes/rendering.js';
import type { Services } from '../shared/services.js';
import { mediaRoutes } from './media-routes.js';
import { PublicOriginals } from './public-originals.js';
import { deleteOrphanedPublicOriginals } from './queries.js';

/** The public URLs of originals and renditions. */
export function servingRoom(
  services: Services,
  { inspector, rendering }: { inspector: Inspector; rendering: Rendering },
): Room {
  const { db, store } = services;
  return {
    name: 'serving',
    needs: ['stores', 'inspection', 'library', 'recipes'],
    routes({ joints }) {
      const originals = new PublicOriginals(db, store, inspector);
      return mediaRoutes((given) => ({ ...given, joints, rendering, originals }));
    },
    sweeps: () => [
      { name: 'public forms of originals that are gone', run: () => deleteOrphanedPublicOriginals(db) },
    ],
  };
}
