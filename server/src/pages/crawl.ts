import { withoutFragment } from '@uniferum/core/pages';
import { addItems, beginRun } from '../runs/ledger.js';
import { findRun } from '../runs/queries.js';
import { type Database, inTransaction } from '../shared/database.js';
import { UniferumError } from '../shared/errors.js';
import { FetchFailure } from '../shared/outgoing.js';
import { CrawledAddress } from './crawl-address.js';
import { findCrawlRun, placeOfUrl, putCheck, updateCrawlRun } from './crawl-queries.js';
import { crawlRun, toCrawlItem } from './crawl-run.js';
import type { IndexTools } from './opened-source.js';
import { RobotsReader } from './robots.js';
import type { PageSource } from './source.js';
import { findSource } from './source-queries.js';

/** Begins reading a site from its first page on. @throws UniferumError `conflict` while it is being read */
export async function beginCrawl(db: Database, source: PageSource<'site'>, by: string): Promise<string> {
  return inTransaction(db, async (tx) => {
    await findSource(tx, source.id, { lock: true });
    const last = await findCrawlRun(tx, source.id);
    const running = last === null ? null : await findRun(tx, last);
    if (running && ['waiting', 'working', 'stopping'].includes(running.state))
      throw new UniferumError(
        'conflict',
        `"${source.name}" is being read by run ${last} (${running.state}). Wait for its end, or stop it.`,
      );
    const run = await beginRun(tx, crawlRun, { title: `Reading ${source.name}`, by });
    await updateCrawlRun(tx, source.id, run);
    const first = withoutFragment(new URL(source.settings.url).href);
    await addItems(tx, run, crawlRun, [
      toCrawlItem({ source: source.id, url: first, what: 'page', depth: 0 }),
    ]);
    return run;
  });
}

/** Reads the pages of sites, one address per item. What a page refers to becomes items of the same run. */
export function crawlHandler(tools: IndexTools) {
  const robots = new RobotsReader(tools.config);
  return crawlRun.bind({
    async work(input, { runId, signal }) {
      const source = await findSource(tools.db, input.source);
      if (source?.kind !== 'site') return { outcome: 'skipped', note: 'the source was deleted' };
      const crawl = new CrawledAddress(tools, source, { runId, signal });
      const rules = await robots.rulesFor(source.settings.url).catch((error) => {
        if (error instanceof FetchFailure) return error;
        throw error;
      });
      if (rules instanceof FetchFailure) {
        if (rules.mayRetry) throw rules;
        return crawl.miss(input, rules);
      }
      if (input.what === 'page' && !rules.allows(input.url))
        return input.depth === 0
          ? {
              outcome: 'failed',
              error: `${source.settings.url} may not be read: its robots.txt asks not to.`,
            }
          : { outcome: 'skipped', note: 'robots.txt asks not to read it' };
      await crawl.waitForRequest(rules.intervalMs);
      return input.what === 'page' ? crawl.readPage(input) : crawl.check(input);
    },
    async giveUp(tx, { source, url }, error) {
      const run = await findCrawlRun(tx, source);
      if (run !== null) await putCheck(tx, { sourceId: source, place: placeOfUrl(url), runId: run }, error);
    },
  });
}
