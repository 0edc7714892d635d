import type { TestStep } from '@uniferum/core/shared';
import { openDatabase } from './database-source.js';
import { openFolder, testFolder } from './folder-source.js';
import { type IndexTools, type OpenedSource, SourceFault } from './opened-source.js';
import { openPages } from './pages-source.js';
import type { PageSource } from './source.js';
import { testDatabase } from './test-database.js';
import { testSite } from './test-site.js';

/** Opens a source that can be listed. @throws SourceFault, UniferumError `source-away` */
export function openSource(
  { config, db }: Pick<IndexTools, 'config' | 'db'>,
  source: PageSource,
): Promise<OpenedSource> {
  if (source.kind === 'pages') return Promise.resolve(openPages({ config, db }));
  if (source.kind === 'folder') return openFolder(config, source.settings);
  if (source.kind === 'database') return openDatabase(config, source);
  return Promise.reject(new SourceFault('A site is read over the network, page by page.'));
}

/** Tests a source step by step, up to the first that fails. */
export function testSource(config: IndexTools['config'], source: PageSource): Promise<TestStep[]> {
  if (source.kind === 'pages') return Promise.resolve([KEPT_HERE]);
  if (source.kind === 'folder') return testFolder(config, source.settings);
  return source.kind === 'database' ? testDatabase(config, source) : testSite(config, source.settings);
}

const KEPT_HERE: TestStep = { name: 'found', ok: true, message: 'Its pages are kept here.' };
