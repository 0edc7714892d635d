import { findActiveRun } from '../runs/queries.js';
import { isEnvironmentFault } from '../shared/errors.js';
import type { Services } from '../shared/services.js';
import { beginIndexOf, findChanges, indexRun } from './index-source.js';
import { type IndexTools, SourceFault } from './opened-source.js';
import { listSources } from './source-queries.js';

/** Indexes the watched sources in which something has changed. @returns how many there were */
export async function indexWatched({ log, ...tools }: IndexTools & Pick<Services, 'log'>): Promise<number> {
  // What is being indexed would be found once more.
  const active = await findActiveRun(tools.db, indexRun.kind);
  if (active !== null && active.state !== 'stopped') return 0;
  let begun = 0;
  for (const source of await listSources(tools.db)) {
    if (!('watched' in source.settings && source.settings.watched)) continue;
    try {
      const changes = await findChanges(tools, source);
      if (changes.length === 0) continue;
      await beginIndexOf(tools.db, source, { changes, by: 'Uniferum' });
      begun += 1;
    } catch (error) {
      // One that is away now is looked at again the next time; the others don't wait for it.
      if (!(error instanceof SourceFault || isEnvironmentFault(error))) throw error;
      log.warn({ source: source.id, reason: error.message }, "a watched source can't be read");
    }
  }
  return begun;
}
