import type { TestStep } from '@uniferum/core/shared';
import { sha256Of } from '../shared/sha256.js';
import { openDatabase } from './database-source.js';
import { openFolder, testFolder } from './folder-source.js';
import { type IndexTools, type OpenedSource, SourceFault } from './opened-source.js';
import { openPages } from './pages-source.js';
import type { PageSource } from './source.js';
import { testDatabase } from './test-database.js';
import { testSite } from './test-site.js';

/** Opens a source that can be listed. @throws SourceFault, UniferumError `source-away` */
export async function openSource(
  { config, db }: Pick<IndexTools, 'config' | 'db'>,
  source: PageSource,
): Promise<OpenedSource> {
  if (source.kind === 'pages') return openPages({ config, db });
  if (source.kind === 'site') throw new SourceFault('A site is read over the network, page by page.');
  const mark = markOf(source);
  return source.kind === 'folder'
    ? markStamps(await openFolder(config, source.settings), mark)
    : markStamps(await openDatabase(config, source), mark);
}

/** Changes when documents are read in another way than before, so that every one of them is read again. */
const READER_VERSION = 1;

/** A mark of everything that decides what is found in documents, besides what they contain. */
function markOf({ settings }: PageSource<'folder' | 'database'>): string {
  const columns = 'columns' in settings ? [settings.columns, settings.titleColumn] : [];
  return sha256Of(JSON.stringify([READER_VERSION, settings.url, columns])).slice(0, 8);
}

/** With the mark in their stamps, documents count as changed when the settings of their source have. */
function markStamps(opened: OpenedSource, mark: string): OpenedSource {
  const marked = <Document extends { stamp: string }>(document: Document): Document => ({
    ...document,
    stamp: `${document.stamp}-${mark}`,
  });
  const { siteUrl, place, isStampedByContent = false } = opened;
  return {
    ...{ siteUrl, place, isStampedByContent },
    list: async () => (await opened.list()).map(marked),
    async *present(paths) {
      for await (const some of opened.present(paths)) yield some.map(marked);
    },
    write: (changes) => opened.write(changes),
    confirm: async (written) => ((await opened.confirm?.(written)) ?? []).map(marked),
    close: () => opened.close(),
  };
}

/** Tests a source step by step, up to the first that fails. */
export function testSource(config: IndexTools['config'], source: PageSource): Promise<TestStep[]> {
  if (source.kind === 'pages') return Promise.resolve([KEPT_HERE]);
  if (source.kind === 'folder') return testFolder(config, source.settings);
  return source.kind === 'database' ? testDatabase(config, source) : testSite(config, source.settings);
}

const KEPT_HERE: TestStep = { name: 'found', ok: true, message: 'Its pages are kept here.' };
