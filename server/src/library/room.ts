import type { Room } from '../house/room.js';
import type { Inspector } from '../inspection/inspector.js';
import type { Services } from '../shared/services.js';
import { VERSION_BLOBS } from './blob-queries.js';
import { bulkHandlers } from './bulk-handlers.js';
import { BULK_RUNS } from './bulk-runs.js';
import * as events from './events.js';
import { libraryFlow } from './flow.js';
import { libraryRoutes } from './routes.js';
import { sweepBlobs } from './sweep.js';
import { LIBRARY_COUNTS, readVerified } from './verify-queries.js';

/** Folders, assets, versions and the bytes behind them. Other rooms extend it; see `joints.ts`. */
export function libraryRoom(services: Services, { inspector }: { inspector: Inspector }): Room {
  return {
    name: 'library',
    needs: ['stores', 'access', 'events', 'runs', 'inspection'],
    runs: BULK_RUNS,
    events: Object.values(events),
    library: { blobHolders: [VERSION_BLOBS] },
    flow: libraryFlow,
    counts: LIBRARY_COUNTS,
    gauges: [
      {
        name: 'uniferum_counts_corrected',
        help: 'Kept counts that had drifted and were put right since the installation began; each is a fault in Uniferum',
        label: 'counts',
        read: async (db) => (await readVerified(db)).corrected,
      },
    ],
    routes: ({ joints }) => libraryRoutes(joints, inspector),
    handlers: ({ joints }) => bulkHandlers({ ...services, joints }),
    sweeps: ({ joints }) => [
      { name: 'bytes that nothing holds', run: () => sweepBlobs({ ...services, joints }) },
    ],
  };
}
