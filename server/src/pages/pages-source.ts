import { applyEdits } from '@uniferum/core/pages';
import { hasDigest } from '../inspection/content-digest.js';
import { inTransaction } from '../shared/database.js';
import {
  type DocumentChange,
  type IndexTools,
  type OpenedSource,
  type WriteOutcome,
  writeEach,
} from './opened-source.js';
import { presentPage } from './page-references.js';
import { findRevision, insertRevision } from './page-revision-queries.js';
import type { SitePage } from './site-page.js';
import { findSitePage, findSitePageAt, listSitePages, updatePublished } from './site-page-queries.js';

const PAGES_AT_A_TIME = 500;
/** Who rewrites addresses. */
const BY = 'a rewrite';

/** Opens the pages that are kept here: each is a document. */
export function openPages(tools: Pick<IndexTools, 'db' | 'config'>): OpenedSource {
  const { db, config } = tools;
  return {
    siteUrl: null,
    place: 'The pages of this site',
    async list() {
      const listed = [];
      for (let after: string | null = null; ; ) {
        const pages: SitePage[] = await listSitePages(db, ANY, { after, limit: PAGES_AT_A_TIME - 1 });
        listed.push(...pages.map((page) => ({ path: page.path, stamp: stampOfPage(page) })));
        if (pages.length < PAGES_AT_A_TIME) return listed;
        after = pages.at(-1)?.path ?? null;
      }
    },
    async *present(paths) {
      for (const path of paths) {
        const page = await findSitePageAt(db, path);
        const content = page && (await findRevision(db, page.id, page.revision));
        if (!page || !content) continue;
        const published = await readPublished(tools, page);
        yield [await presentPage(db, config, { path, stamp: stampOfPage(page), content, published })];
      }
    },
    write: (changes) => writeEach(changes, (change) => rewritePage(tools, change)),
    close: async () => {},
  };
}

const ANY = { q: null, isPublished: null };

export function stampOfPage({ revision, publishedRevision }: SitePage): string {
  return `${revision}-${publishedRevision ?? 0}`;
}

/** What the site shows of a page; null where nothing, or nothing else than what is written. */
export async function readPublished(
  { db }: Pick<IndexTools, 'db'>,
  { id, revision, publishedRevision }: Pick<SitePage, 'id' | 'revision' | 'publishedRevision'>,
) {
  if (publishedRevision === null || publishedRevision === revision) return null;
  return findRevision(db, id, publishedRevision);
}

/** The rewritten text is a revision of its own, and is published where the old one was. */
async function rewritePage(
  { db }: Pick<IndexTools, 'db'>,
  { path, edits, before, after }: DocumentChange,
): Promise<WriteOutcome> {
  const known = await findSitePageAt(db, path);
  if (known === null) return { kind: 'gone' };
  return inTransaction(db, async (tx): Promise<WriteOutcome> => {
    const page = await findSitePage(tx, known.id, { lock: true });
    const content = page && (await findRevision(tx, page.id, page.revision));
    if (!page || !content) return { kind: 'gone' };
    const bytes = Buffer.from(content.body);
    if (hasDigest(bytes, after)) return { kind: 'written' };
    if (!hasDigest(bytes, before)) return { kind: 'changed' };
    if (page.publishedRevision !== null && page.publishedRevision !== page.revision)
      return {
        kind: 'failed',
        message: `${path} has changes that are not published. Publish it, or restore what is published.`,
      };
    const body = Buffer.from(applyEdits(bytes.toString('latin1'), edits), 'latin1').toString('utf8');
    const revision = await insertRevision(tx, page, {
      content: { ...content, body },
      by: BY,
      isAutosaved: false,
    });
    if (page.publishedRevision !== null) await updatePublished(tx, page.id, revision);
    return { kind: 'written' };
  });
}
