import { SAMPLE_SECONDS } from '@uniferum/core/copies';
import type { Room } from '../house/room.js';
import { findHomeCopies } from '../library/home-copy-queries.js';
import type { AssetListener, Joints } from '../library/joints.js';
import { counterCheck } from '../shared/count-checks.js';
import { repeatedly } from '../shared/repeatedly.js';
import type { Services } from '../shared/services.js';
import { auditHandler, auditRun } from './audit.js';
import { auditInTime } from './audit-in-time.js';
import { auditRoutes } from './audit-routes.js';
import { Buckets } from './buckets.js';
import { copiesField } from './copies-field.js';
import { type CopyRow, discardCopies, findCopiesOf } from './copy-queries.js';
import { copyRoutes } from './copy-routes.js';
import * as events from './events.js';
import { copyFilter } from './filter-joint.js';
import { copiesFlow } from './flow.js';
import { followLibrary } from './follow-library.js';
import { sampleStores, sweepHistory } from './history.js';
import { findOtherHolders, markOrphaned } from './home-queries.js';
import { leaveHomeInTime } from './leave-in-time.js';
import { changeCopiesRun, copyHandlers, placeCopiesRun } from './place.js';
import { recall } from './recall.js';
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
  store.recallFrom((sha256) => recall(tools, sha256));
  const toolsWith = (joints: Joints) => (given: Services) => ({ ...tools, db: given.db, joints });
  return {
    name: 'copies',
    needs: ['stores', 'events', 'connections', 'runs', 'library', 'recipes'],
    runs: [placeCopiesRun, changeCopiesRun, auditRun, repairRun],
    events: Object.values(events),
    library: {
      fields: [copiesField(config)],
      listeners: [listenerFor(store.name)],
      filters: [copyFilter],
    },
    counts: [COPY_COUNTS],
    flow: copiesFlow,
    routes: ({ joints }) => [
      ...storeRoutes,
      ...copyRoutes(toolsWith(joints)),
      ...auditRoutes(toolsWith(joints)),
    ],
    handlers: ({ joints }) => [
      ...copyHandlers({ ...tools, joints }),
      auditHandler({ ...tools, joints }),
      repairHandler({ ...tools, joints }),
    ],
    sweeps: ({ joints }) => [
      { name: 'copies that are no longer wanted', run: () => sweepCopies({ ...tools, joints }, log) },
      {
        name: 'audits that are due',
        run: () => auditInTime(db, { name: store.name, auditDays: config.homeAuditDays }),
      },
      { name: 'history of stores', run: () => sweepHistory(db) },
      { name: 'files stored elsewhere long enough', run: () => leaveHomeInTime({ ...tools, joints }, log) },
    ],
    open: async () =>
      asClose(
        repeatedly(FOLLOW_MS, log, 'copies of new files could not be queued', () => followLibrary(db)),
        repeatedly(
          SAMPLE_SECONDS * 1000,
          log,
          'what stores hold could not be recorded',
          () => sampleStores(db, store.name),
          { firstMs: FOLLOW_MS },
        ),
      ),
    close: async () => buckets.close(),
  };
}

function asClose(...stops: (() => void)[]): () => Promise<void> {
  return async () => {
    for (const stop of stops) stop();
  };
}

/** Copies go with their asset, unless they are the last of bytes that another one holds. */
function listenerFor(home: string): AssetListener {
  return {
    async purged(tx, ids) {
      const assets = ids.map(Number);
      const rows = await findCopiesOf(tx, assets, { lock: true });
      const digests = [...new Set(rows.map(({ sha256 }) => sha256))];
      const atHome = new Set(
        (await findHomeCopies(tx, home, digests, { lock: true })).map(({ sha256 }) => sha256),
      );
      const needed = new Set<string>();
      for (const sha256 of digests)
        if (!atHome.has(sha256) && (await findOtherHolders(tx, sha256, assets)).length > 0)
          needed.add(sha256);
      const isNeeded = ({ sha256, state }: CopyRow) => state === 'stored' && needed.has(sha256);
      await markOrphaned(
        tx,
        rows.filter(isNeeded).map(({ id }) => id),
      );
      await discardCopies(
        tx,
        rows.filter((row) => !isNeeded(row)),
      );
    },
  };
}

const COPY_COUNTS = counterCheck(
  'copies',
  "scope LIKE 'copies:%'",
  `SELECT CONCAT('copies:', store_id, ' ', state) AS what, COUNT(*) AS items, SUM(bytes) AS bytes
   FROM placed_copies GROUP BY store_id, state
   UNION ALL
   SELECT CONCAT('copies:', store_id, ' removing'), COUNT(*), SUM(bytes)
   FROM discarded_objects GROUP BY store_id`,
);
