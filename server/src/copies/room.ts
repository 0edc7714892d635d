import type { Room } from '../house/room.js';
import type { AssetListener, Joints } from '../library/joints.js';
import { counterCheck } from '../shared/count-checks.js';
import { repeatedly } from '../shared/repeatedly.js';
import type { Services } from '../shared/services.js';
import { auditHandler, auditRun } from './audit.js';
import { auditRoutes } from './audit-routes.js';
import { Buckets } from './buckets.js';
import { copiesField } from './copies-field.js';
import { discardCopies, findCopiesOf } from './copy-queries.js';
import { copyRoutes } from './copy-routes.js';
import * as events from './events.js';
import { followLibrary } from './follow-library.js';
import { changeCopiesRun, copyHandlers, placeCopiesRun } from './place.js';
import { repairHandler, repairRun } from './repair.js';
import { storeRoutes } from './store-routes.js';
import { sweepCopies } from './sweep.js';

/** How often what happened in the library is looked at. */
const FOLLOW_MS = 1000;

/** Copies of files in stores besides the home store. */
export function copiesRoom(services: Services): Room {
  const { config, db, store, log } = services;
  const buckets = new Buckets(config);
  const tools = { db, store, buckets };
  const toolsWith = (joints: Joints) => (given: Services) => ({ ...tools, db: given.db, joints });
  return {
    name: 'copies',
    needs: ['stores', 'events', 'connections', 'runs', 'library', 'recipes'],
    runs: [placeCopiesRun, changeCopiesRun, auditRun, repairRun],
    events: Object.values(events),
    library: { fields: [copiesField(config)], listeners: [listener] },
    counts: [COPY_COUNTS],
    routes: ({ joints }) => [
      ...storeRoutes,
      ...copyRoutes(toolsWith(joints)),
      ...auditRoutes(toolsWith(joints)),
    ],
    handlers: ({ joints }) => [
      ...copyHandlers(tools),
      auditHandler(tools),
      repairHandler({ ...tools, joints }),
    ],
    sweeps: () => [{ name: 'copies that are no longer wanted', run: () => sweepCopies(tools, log) }],
    open: async () =>
      asClose(repeatedly(FOLLOW_MS, log, 'copies of new files could not be queued', () => followLibrary(db))),
    close: async () => buckets.close(),
  };
}

function asClose(stop: () => void): () => Promise<void> {
  return async () => stop();
}

const listener: AssetListener = {
  async purged(tx, ids) {
    await discardCopies(tx, await findCopiesOf(tx, ids.map(Number), { lock: true }));
  },
};

const COPY_COUNTS = counterCheck(
  'copies',
  "scope LIKE 'copies:%'",
  `SELECT CONCAT('copies:', store_id, ' ', state) AS what, COUNT(*) AS items, SUM(bytes) AS bytes
   FROM placed_copies GROUP BY store_id, state
   UNION ALL
   SELECT CONCAT('copies:', store_id, ' removing'), COUNT(*), SUM(bytes)
   FROM discarded_objects GROUP BY store_id`,
);
