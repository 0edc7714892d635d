import type { Room } from '../house/room.js';
import type { Joints } from '../library/joints.js';
import type { Services } from '../shared/services.js';
import { RENDITION_COUNTS } from './count-queries.js';
import { recipeChanged, recipeDeleted, renditionsChanged } from './events.js';
import { recipeFilter } from './filter-joint.js';
import { recipesFlow } from './flow.js';
import { recipeHandlers } from './handler.js';
import { iiifRoutes } from './iiif-routes.js';
import { recipesListener } from './listener.js';
import { onRequestRoutes } from './on-request-routes.js';
import { RENDITION_BLOBS } from './queries.js';
import { rebuildRoutes } from './rebuild-routes.js';
import type { Rendering } from './rendering.js';
import { renditionField } from './rendition-field.js';
import { recipeRoutes } from './routes.js';
import { optimiseRun, recipeApplyRun, renditionsRun, renditionsSoonRun } from './run-kinds.js';
import { stateRoutes } from './state-routes.js';
import { surplusRemoveRun, surplusRestoreRun } from './surplus.js';
import { surplusRoutes } from './surplus-routes.js';
import { tidyDerived } from './tidy.js';
import type { RecipeTools } from './tools.js';

/** Recipes and their renditions. */
export function recipesRoom(services: Services, { rendering }: { rendering: Rendering }): Room {
  const toolsWith =
    (joints: Joints) =>
    (given: Services): RecipeTools => ({ ...given, joints, rendering });
  return {
    name: 'recipes',
    needs: ['stores', 'events', 'runs', 'inspection', 'library'],
    runs: [
      renditionsRun,
      renditionsSoonRun,
      recipeApplyRun,
      optimiseRun,
      surplusRemoveRun,
      surplusRestoreRun,
    ],
    events: [recipeChanged, recipeDeleted, renditionsChanged],
    library: {
      fields: [renditionField(services.config)],
      listeners: [recipesListener({ ...services, rendering })],
      blobHolders: RENDITION_BLOBS,
      filters: [recipeFilter],
    },
    flow: recipesFlow,
    counts: RENDITION_COUNTS,
    routes({ joints }) {
      const toolsFor = toolsWith(joints);
      return [
        ...recipeRoutes,
        ...surplusRoutes(joints),
        ...rebuildRoutes(toolsFor),
        ...stateRoutes(toolsFor),
        ...onRequestRoutes(toolsFor),
        ...iiifRoutes(toolsFor),
      ];
    },
    handlers: ({ joints }) => recipeHandlers(toolsWith(joints)(services)),
    sweeps: () => [
      { name: 'derived files', run: () => tidyDerived(services.db, services.config.maxOnRequestBytes) },
    ],
  };
}
