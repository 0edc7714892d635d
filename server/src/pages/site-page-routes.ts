import Joi from 'joi';
import type { Inspector } from '../inspection/inspector.js';
import type { Joints } from '../library/joints.js';
import { cutPage, readCursor } from '../shared/cursor.js';
import { isoTimeOrNull } from '../shared/database.js';
import { notFound } from '../shared/errors.js';
import { revisionTag } from '../shared/etag.js';
import { API_BASE, type Route, route } from '../shared/route.js';
import { answer, idSchema, pageOf, pagingSchemas } from '../shared/schemas.js';
import type { Services } from '../shared/services.js';
import { findRevision } from './page-revision-queries.js';
import { type ResolvedPage, resolvePage } from './resolve-page.js';
import { createPage, removePage, requirePage, type SaveTools, savePage } from './save-page.js';
import type { PageContent, PagePatch, SitePage } from './site-page.js';
import {
  countBroken,
  countSitePages,
  findMovedPage,
  findSitePageAt,
  listSitePages,
} from './site-page-queries.js';
import { newPageBody, pagePatchBody, pageSchema, pageSummarySchema } from './site-page-schemas.js';

interface Id {
  id: string;
}
export const idParams = Joi.object({ id: idSchema.required() });

export type ToolsFor = (services: Services) => SaveTools;

export function toolsFor(joints: Joints, inspector: Inspector): ToolsFor {
  return (services) => ({ ...services, joints, inspector });
}

function toSummary(page: SitePage, broken: number) {
  const { id, type, title, slug, path, parentId, inNavigation, position, revision, updatedBy } = page;
  return {
    ...{ id, type, title, slug, path, parent: parentId, inNavigation, position, revision, broken, updatedBy },
    state: page.publishedRevision === null ? 'draft' : 'published',
    hasChanges: page.publishedRevision !== null && page.publishedRevision !== revision,
    publishedAt: isoTimeOrNull(page.publishedAt),
    updatedAt: page.updatedAt.toISOString(),
  };
}

function toAnswer(page: SitePage, content: PageContent, { resolved, broken }: Resolved) {
  return { ...toSummary(page, broken), title: content.title, body: content.body, ...resolved };
}

interface Resolved {
  resolved: ResolvedPage;
  broken: number;
}

/** Reads a page as it is answered. @throws UniferumError `not-found` */
export async function readPageAnswer(tools: SaveTools, id: string) {
  const { page, content } = await requirePage(tools, id);
  const resolved = await resolvePage(tools, content);
  const broken = (await countBroken(tools.db, [page.path])).get(page.path) ?? 0;
  return {
    body: toAnswer(page, content, { resolved, broken }),
    headers: { ETag: revisionTag(id, page.revision) },
  };
}

interface ListQuery {
  limit: number;
  cursor?: string;
  q?: string;
  state?: 'draft' | 'published';
}

export function sitePageRoutes(tools: ToolsFor): Route[] {
  return [listRoute, atRoute(tools), createRoute(tools), getRoute(tools), ...changeRoutes(tools)];
}

const listRoute = route<object, ListQuery>({
  method: 'get',
  path: `${API_BASE}/pages`,
  access: 'pages:read',
  summary: 'List the pages that are kept here, by path',
  query: Joi.object({
    ...pagingSchemas,
    q: Joi.string().max(200).description('part of a title or a path'),
    state: Joi.string().valid('draft', 'published'),
  }),
  answers: { 200: { description: 'Pages without their content', schema: pageOf(pageSummarySchema) } },
  async handle({ services: { db }, query: { limit, cursor, q = null, state } }) {
    const filter = { q, isPublished: state === undefined ? null : state === 'published' };
    const after = cursor === undefined ? null : String(readCursor(cursor, 1)[0]);
    const page = cutPage(await listSitePages(db, filter, { after, limit }), limit, ({ path }) => [path]);
    const broken = await countBroken(
      db,
      page.rows.map(({ path }) => path),
    );
    const items = page.rows.map((row) => toSummary(row, broken.get(row.path) ?? 0));
    return { status: 200, body: { items, total: await countSitePages(db, filter), next: page.next } };
  },
});

const atRoute = (tools: ToolsFor) =>
  route<object, { path: string }>({
    method: 'get',
    path: `${API_BASE}/pages/at`,
    access: 'pages:read',
    summary: 'Get a published page by its path, as a site shows it',
    query: Joi.object({ path: Joi.string().max(1000).required().example('/lights/gannet-head') }),
    answers: {
      200: { description: 'What is published', schema: pageSchema },
      308: { description: 'The page has moved; the answer at the new path is in Location' },
    },
    async handle({ services, query }) {
      const path = query.path.replace(/(?<=.)\/+$/, '');
      const page = await findSitePageAt(services.db, path);
      const content =
        page?.publishedRevision == null
          ? null
          : await findRevision(services.db, page.id, page.publishedRevision);
      const moved = page && content ? null : await findMovedPage(services.db, path);
      if (moved !== null && moved.publishedRevision !== null && moved.path !== path) {
        const Location = `${API_BASE}/pages/at?path=${encodeURIComponent(moved.path)}`;
        return { status: 308, headers: { Location } };
      }
      if (!page || !content) throw notFound(`A published page at ${path}`);
      const resolved = await resolvePage(tools(services), content, { isForVisitors: true });
      const broken = (await countBroken(services.db, [path])).get(path) ?? 0;
      return { status: 200, body: toAnswer(page, content, { resolved, broken }) };
    },
  });

const createRoute = (tools: ToolsFor) =>
  route<object, { force: boolean }, PagePatch & { title: string }>({
    method: 'post',
    path: `${API_BASE}/pages`,
    access: 'pages:write',
    summary: 'Create a page',
    query: Joi.object({ force: forceSchema }),
    body: newPageBody,
    maxBodyBytes: 3_000_000,
    answers: { 201: { description: 'The page', schema: pageSchema } },
    async handle({ services, who, body, query: { force } }) {
      const id = await createPage(tools(services), body, { who, isForced: force });
      return { status: 201, ...(await readPageAnswer(tools(services), id)) };
    },
  });

const forceSchema = Joi.boolean()
  .default(false)
  .description('publish although pictures have no alternative text');

const getRoute = (tools: ToolsFor) =>
  route<Id>({
    method: 'get',
    path: `${API_BASE}/pages/{id}`,
    access: 'pages:read',
    summary: 'Get a page as it is written, published or not',
    params: idParams,
    answers: { 200: { description: 'The page', schema: pageSchema } },
    async handle({ services, params: { id } }) {
      return { status: 200, ...(await readPageAnswer(tools(services), id)) };
    },
  });

const changeRoutes = (tools: ToolsFor) => [
  route<Id, { force: boolean; autosave: boolean }, PagePatch>({
    method: 'patch',
    path: `${API_BASE}/pages/{id}`,
    access: 'pages:write',
    summary: 'Change a page: its content as a new revision, its place, and whether it is published',
    params: idParams,
    query: Joi.object({
      force: forceSchema,
      autosave: Joi.boolean().default(false).description('fold it into the autosaved revision before'),
    }),
    body: pagePatchBody,
    maxBodyBytes: 3_000_000,
    answers: { 200: { description: 'The page as it is now', schema: pageSchema } },
    async handle({ services, who, params: { id }, query: { force, autosave }, body, req }) {
      const options = { who, ifMatch: req.get('if-match'), isForced: force, isAutosaved: autosave };
      await savePage(tools(services), id, body, options);
      return { status: 200, ...(await readPageAnswer(tools(services), id)) };
    },
  }),
  route<Id>({
    method: 'delete',
    path: `${API_BASE}/pages/{id}`,
    access: 'pages:write',
    summary: 'Delete a page with its revisions; one with pages below it stays',
    params: idParams,
    answers: { 204: { description: 'It is deleted' } },
    async handle({ services, who, params: { id }, req }) {
      await removePage(tools(services), id, { who, ifMatch: req.get('if-match') });
      return { status: 204 };
    },
  }),
];

/** A file of a slot, or a page of them. */
export const slotRoutes = (tools: ToolsFor): Route[] => [
  route<Id & { slot: string }>({
    method: 'get',
    path: `${API_BASE}/pages/{id}/slots/{slot}`,
    access: 'pages:read',
    summary: 'List the files of a slot; one that is unknown or empty has none',
    params: slotParams,
    answers: { 200: { description: 'Its assets', schema: answer({ items: Joi.array().items(anything) }) } },
    async handle({ services, params: { id, slot } }) {
      return { status: 200, body: { items: await readSlot(tools(services), id, slot) } };
    },
  }),
  route<Id & { slot: string }>({
    method: 'get',
    path: `${API_BASE}/pages/{id}/slots/{slot}/first`,
    access: 'pages:read',
    summary: 'Get the first file of a slot; null when there is none',
    params: slotParams,
    answers: { 200: { description: 'An asset, or null', schema: anything.allow(null) } },
    async handle({ services, params: { id, slot } }) {
      return { status: 200, body: (await readSlot(tools(services), id, slot))[0] ?? null };
    },
  }),
];

const anything = Joi.object().unknown();
const slotParams = Joi.object({ id: idSchema.required(), slot: Joi.string().max(60).required() });

async function readSlot(tools: SaveTools, id: string, slot: string) {
  const { content } = await requirePage(tools, id);
  const { slots } = await resolvePage(tools, { ...content, body: '', regions: {} });
  return slots[slot] ?? [];
}
