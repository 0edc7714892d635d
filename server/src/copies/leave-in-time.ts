import type { Logger } from 'pino';
import { listFoldersWithin } from '../library/folder-queries.js';
import { listKeptLong } from './home-queries.js';
import { leaveHomeByPlacement } from './leave-home.js';
import { listPlacements } from './placement-queries.js';
import { nearestOf } from './placements.js';
import type { CopyTools } from './upload.js';

const BATCH = 200;

/** Deletes files from the home store that their placement keeps for some days only. @returns how many */
export async function leaveHomeInTime(tools: CopyTools, log: Logger): Promise<number> {
  const { db, store } = tools;
  const all = await listPlacements(db);
  const limited = all.filter(({ keepLocal }) => keepLocal !== true);
  if (limited.length === 0) return 0;
  const folders = await listFoldersWithin(db, '/');
  let left = 0;
  for (const { folderId, keepLocal } of limited) {
    const within = folders
      .filter(({ path }) => nearestOf(all, path)?.folderId === folderId)
      .map(({ id }) => Number(id));
    for (let after = 0; ; ) {
      const kept = { folders: within, days: Number(keepLocal), after, limit: BATCH };
      const ids = await listKeptLong(db, store.name, kept);
      for (const id of ids) left += await leaveOrWarn(tools, id, log);
      const last = ids.at(-1);
      if (last === undefined || ids.length < BATCH) break;
      after = last;
    }
  }
  return left;
}

async function leaveOrWarn(tools: CopyTools, id: number, log: Logger): Promise<number> {
  try {
    return (await leaveHomeByPlacement(tools, id)).files;
  } catch (error) {
    // It is tried again with the next cleanup.
    log.warn({ err: error, asset: id }, 'files could not leave the home store yet');
    return 0;
  }
}
