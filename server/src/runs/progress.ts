import type { LiveSource } from '../events/live-source.js';
import { databaseNow } from './lease-queries.js';
import { listRunsChangedSince, toRunAnswer } from './queries.js';

/** Progress changes many times a second and is not worth storing: it is read from the runs, not from the outbox. */
export const runProgress: LiveSource = {
  event: 'run.progress',
  right: 'runs:read',
  async readSince(db, since) {
    if (since === null) return { data: [], until: await databaseNow(db) };
    const rows = await listRunsChangedSince(db, since);
    const now = Date.now();
    return { data: rows.map((row) => toRunAnswer(row, now)), until: rows.at(-1)?.updated_at ?? since };
  },
};
