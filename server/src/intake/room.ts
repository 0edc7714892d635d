import type { Room } from '../house/room.js';
import type { Inspector } from '../inspection/inspector.js';
import type { Joints } from '../library/joints.js';
import { repeatedly } from '../shared/repeatedly.js';
import type { Services } from '../shared/services.js';
import { VERDICT_COUNTS } from './count-queries.js';
import { inboxChanged, intakeChanged } from './events.js';
import { intakeFlow } from './flow.js';
import { intakeHandler } from './handler.js';
import { ARCHIVE_BLOBS } from './queries.js';
import { finishMoves } from './remove-moved.js';
import { dropAbandonedUploads } from './resumable.js';
import { intakeRoutes } from './routes.js';
import { intakeRun } from './run-kind.js';
import type { IntakeTools } from './tools.js';
import { deleteOldUploads } from './upload-queries.js';
import { watchInbox } from './watch-inbox.js';

const HOUR_MS = 3_600_000;

/** The ways in which files arrive. */
export function intakeRoom(services: Services, { inspector }: { inspector: Inspector }): Room {
  const toolsWith =
    (joints: Joints) =>
    (given: Services): IntakeTools => ({ ...given, joints, inspector });
  const { log } = services;
  return {
    name: 'intake',
    needs: ['stores', 'access', 'events', 'runs', 'inspection', 'library', 'rules'],
    runs: [intakeRun],
    events: [inboxChanged, intakeChanged],
    library: { blobHolders: [ARCHIVE_BLOBS] },
    flow: intakeFlow,
    counts: VERDICT_COUNTS,
    routes: ({ joints }) => intakeRoutes(toolsWith(joints), joints),
    handlers: ({ joints }) => [intakeRun.bind(intakeHandler(toolsWith(joints)(services)))],
    sweeps: () => [
      { name: 'moves of the inbox', run: () => finishMoves(services) },
      { name: 'records of uploads', run: () => deleteOldUploads(services.db) },
    ],
    async open({ joints }) {
      const stopWatching = watchInbox(services);
      const stopDropping = repeatedly(HOUR_MS, log, 'abandoned uploads could not be dropped', () =>
        dropAbandonedUploads(toolsWith(joints)(services)),
      );
      return async () => {
        stopDropping();
        stopWatching();
      };
    },
  };
}
