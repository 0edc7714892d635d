import { recordEvent } from '../events/outbox.js';
import { inTransaction, type Transaction } from '../shared/database.js';
import { notFound, UniferumError } from '../shared/errors.js';
import { requireMatch, revisionTag } from '../shared/etag.js';
import type { Principal } from '../shared/principal.js';
import { deletePage as forgetDocument } from './crawl-queries.js';
import { renameDocument, type StoredDocument } from './document-queries.js';
import { pageChanged, pageDeleted } from './events.js';
import { readPresent } from './index-source.js';
import type { IndexTools } from './opened-source.js';
import { requirePublishable, requireSlots } from './page-checks.js';
import { presentPage } from './page-references.js';
import { findRevision, foldAutosave, insertRevision } from './page-revision-queries.js';
import { findPageType } from './page-type-queries.js';
import { readPublished, stampOfPage } from './pages-source.js';
import { putDocuments } from './put-document-queries.js';
import type { PageTools } from './resolve-page.js';
import { ReferenceResolver } from './resolve-references.js';
import { sanitiseBody } from './sanitise.js';
import { type PageContent, type PagePatch, type PageType, pathOfPage, type SitePage } from './site-page.js';
import {
  deleteSitePage,
  findSitePage,
  insertOldPath,
  insertSitePage,
  listChildren,
  type PagePlace,
  updatePlace,
  updatePublished,
} from './site-page-queries.js';
import { findPagesSource } from './source-queries.js';

export type SaveTools = PageTools & Pick<IndexTools, 'inspector'>;

/** How a page is saved. */
export interface SaveOptions {
  who: Pick<Principal, 'name'>;
  ifMatch?: string | undefined;
  /** Saved by itself while somebody writes: such states are folded into one. */
  isAutosaved?: boolean;
  /** Publishes pictures without alternative text too. */
  isForced?: boolean;
}

const EMPTY: PageContent = { title: '', body: '', slots: {}, regions: {} };

/** Creates a page. @returns its id */
export async function createPage(
  tools: SaveTools,
  patch: PagePatch & { title: string },
  options: SaveOptions,
): Promise<string> {
  const type = await requireType(tools, patch.type ?? 'page');
  const place = await placeOf(tools, null, patch, type.name);
  const content = await readContent(tools, EMPTY, patch, type);
  if (patch.state === 'published') await requirePublishable(tools, { content, type }, options);
  const source = await findPagesSource(tools.db);
  const indexed = await indexPage(tools, { path: place.path, stamp: '1-0', content, published: null });
  return inTransaction(tools.db, async (tx) => {
    await requireParent(tx, place);
    const by = options.who.name;
    const id = await insertSitePage(tx, place, { title: content.title, by });
    const revision = await insertRevision(tx, { id, revision: 0 }, { content, by, isAutosaved: false });
    if (patch.state === 'published') await updatePublished(tx, id, revision);
    await putDocuments(tx, source.id, [indexed]);
    await recordEvent(tx, { event: pageChanged, by, data: { id, path: place.path, title: content.title } });
    return id;
  });
}

/**
 * Saves a change of a page: its content as a new revision, its place, and whether it is published.
 *
 * @throws UniferumError `stale-state` when somebody else has saved it since
 */
export async function savePage(
  tools: SaveTools,
  id: string,
  patch: PagePatch,
  options: SaveOptions,
): Promise<void> {
  const { db } = tools;
  const { who, ifMatch, isAutosaved = false } = options;
  const { page, content: current } = await requirePage(tools, id);
  requireMatch(ifMatch, revisionTag(id, page.revision), page.title);
  const type = await requireType(tools, patch.type ?? page.type);
  const place = await placeOf(tools, page, patch, type.name);
  const content = await readContent(tools, current, patch, type);
  const isWritten = JSON.stringify(content) !== JSON.stringify(current);
  const revision = page.revision + (isWritten ? 1 : 0);
  const publishedRevision =
    patch.state === undefined ? page.publishedRevision : patch.state === 'draft' ? null : revision;
  if (patch.state === 'published') await requirePublishable(tools, { content, type }, options);
  const next = { ...page, revision, publishedRevision };
  const published = await readPublished(tools, next);
  const stamp = stampOfPage(next);
  const indexed = await indexPage(tools, { path: place.path, stamp, content, published });
  const source = await findPagesSource(db);
  await inTransaction(db, async (tx) => {
    await requireParent(tx, place);
    const held = await findSitePage(tx, id, { lock: true });
    if (held === null) throw notFound(`Page ${id}`);
    const isSame =
      held.revision === page.revision &&
      held.path === page.path &&
      held.publishedRevision === page.publishedRevision;
    if (!isSame) throw changedMeanwhile(page.title);
    if (isAutosaved && isWritten) await foldAutosave(tx, held, who.name);
    if (isWritten) await insertRevision(tx, held, { content, by: who.name, isAutosaved });
    if (patch.state !== undefined) await updatePublished(tx, id, publishedRevision);
    await movePage(tx, held, place, source.id);
    await putDocuments(tx, source.id, [indexed]);
    const data = { id, path: place.path, title: content.title };
    await recordEvent(tx, { event: pageChanged, by: who.name, data });
  });
}

/** Makes an earlier revision the current one, as a revision of its own. */
export async function restoreRevision(
  tools: SaveTools,
  id: string,
  revision: number,
  options: SaveOptions,
): Promise<void> {
  const earlier = await findRevision(tools.db, id, revision);
  if (earlier === null) throw notFound(`Revision ${revision} of page ${id}`);
  const { title, body, slots, regions } = earlier;
  await savePage(tools, id, { title, body, slots, regions }, options);
}

/** @throws UniferumError `conflict` while pages are below it */
export async function removePage(
  { db }: SaveTools,
  id: string,
  { who, ifMatch }: Pick<SaveOptions, 'who' | 'ifMatch'>,
): Promise<void> {
  const source = await findPagesSource(db);
  await inTransaction(db, async (tx) => {
    const page = await findSitePage(tx, id, { lock: true });
    if (page === null) throw notFound(`Page ${id}`);
    requireMatch(ifMatch, revisionTag(id, page.revision), page.title);
    const [child] = await listChildren(tx, id);
    if (child)
      throw new UniferumError(
        'conflict',
        `"${page.title}" has pages below it, such as ${child.path}. Move or delete them first.`,
      );
    await deleteSitePage(tx, id);
    await forgetDocument(tx, source.id, page.path);
    const data = { id, path: page.path, title: page.title };
    await recordEvent(tx, { event: pageDeleted, by: who.name, data });
  });
}

/** Reads a page with its current content. @throws UniferumError `not-found` */
export async function requirePage(
  { db }: Pick<SaveTools, 'db'>,
  id: string,
): Promise<{ page: SitePage; content: PageContent }> {
  for (let attempt = 0; attempt < MAX_READS; attempt += 1) {
    const page = await findSitePage(db, id);
    if (page === null) break;
    const found = await findRevision(db, id, page.revision);
    // An autosave may have replaced it since.
    if (found === null) continue;
    const { title, body, slots, regions } = found;
    return { page, content: { title, body, slots, regions } };
  }
  throw notFound(`Page ${id}`);
}

const MAX_READS = 5;

async function requireType({ db }: Pick<SaveTools, 'db'>, name: string): Promise<PageType> {
  const type = await findPageType(db, name);
  if (type) return type;
  throw new UniferumError('malformed-request', `There is no page type "${name}".`, {
    errors: [{ field: 'type', code: 'unknown', message: `There is no page type "${name}".` }],
  });
}

async function readContent(
  tools: SaveTools,
  current: PageContent,
  patch: PagePatch,
  type: PageType,
): Promise<PageContent> {
  const content: PageContent = {
    title: patch.title ?? current.title,
    body: patch.body === undefined ? current.body : sanitiseBody(patch.body),
    slots: { ...current.slots, ...patch.slots },
    regions: { ...current.regions, ...patch.regions },
  };
  await requireSlots(tools, patch, type);
  return content;
}

async function placeOf(
  { db }: Pick<SaveTools, 'db'>,
  page: SitePage | null,
  patch: PagePatch,
  type: string,
): Promise<PagePlace> {
  const parentId = patch.parent === undefined ? (page?.parentId ?? null) : patch.parent;
  const slug = patch.slug ?? page?.slug ?? slugOf(patch.title ?? '');
  const parent = parentId === null ? null : await findSitePage(db, parentId);
  if (parentId !== null && parent === null)
    throw new UniferumError('malformed-request', `There is no page ${parentId} to be above this one.`);
  if (page && parent && (parent.id === page.id || parent.path.startsWith(`${page.path}/`)))
    throw new UniferumError('conflict', `"${page.title}" can't be moved below itself.`);
  return {
    ...{ type, parentId, slug, path: pathOfPage(parent?.path ?? null, slug) },
    inNavigation: patch.inNavigation ?? page?.inNavigation ?? true,
    position: patch.position ?? page?.position ?? 0,
  };
}

/**
 * Holds the page above, so that it stays where the path of the page below it says.
 *
 * @throws UniferumError `stale-state` when it was moved or deleted since
 */
async function requireParent(tx: Transaction, { parentId, path, slug }: PagePlace): Promise<void> {
  if (parentId === null) return;
  const parent = await findSitePage(tx, parentId, { lock: true });
  if (parent === null || pathOfPage(parent.path, slug) !== path)
    throw changedMeanwhile(parent?.title ?? 'The page above it');
}

/** A slug from a title: lower-case letters and digits, with hyphens between words. */
export function slugOf(title: string): string {
  const plain = title.normalize('NFD').replace(/\p{M}/gu, '').toLowerCase();
  return (
    plain
      .replace(/[^\p{L}\p{N}]+/gu, '-')
      .replace(/^-+|-+$/g, '')
      .slice(0, 80) || 'page'
  );
}

/** Puts a page at its place, with all pages below it. */
async function movePage(tx: Transaction, page: SitePage, place: PagePlace, sourceId: string): Promise<void> {
  const { id, path } = page;
  await updatePlace(tx, id, place);
  if (place.path === path) return;
  await insertOldPath(tx, page);
  await renameDocument(tx, sourceId, { from: path, to: place.path });
  for (const child of await listChildren(tx, id)) {
    const below = { ...child, path: pathOfPage(place.path, child.slug) };
    await movePage(tx, child, below, sourceId);
  }
}

async function indexPage(tools: SaveTools, page: Parameters<typeof presentPage>[2]): Promise<StoredDocument> {
  const present = await presentPage(tools.db, tools.config, page);
  const [document] = await readPresent(tools, [present], new ReferenceResolver(tools.db, tools.config));
  if (document === undefined) throw new Error(`Expected ${page.path} to be read`);
  return document;
}

function changedMeanwhile(title: string): UniferumError {
  return new UniferumError(
    'stale-state',
    `${title} was changed since you read it. Read it again and repeat your change.`,
  );
}
