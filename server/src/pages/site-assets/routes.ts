import { encodePath } from '@uniferum/core/library';
import Joi from 'joi';
import type { Buckets, OpenStore } from '../../copies/buckets.js';
import { listStores, type PlacedStore } from '../../copies/store-queries.js';
import { recordEvent } from '../../events/outbox.js';
import type { Inspector } from '../../inspection/inspector.js';
import { rehearsable, runAnswer } from '../../recipes/rendition-schemas.js';
import { answerRun } from '../../runs/answer.js';
import { cutPage, readCursor } from '../../shared/cursor.js';
import { type Executor, inTransaction, isoTimeOrNull } from '../../shared/database.js';
import { notFound, UniferumError } from '../../shared/errors.js';
import { requireMatch, revisionTag } from '../../shared/etag.js';
import { API_BASE, type Route, route } from '../../shared/route.js';
import { answer, idSchema, pageOf, pagingSchemas } from '../../shared/schemas.js';
import type { Services } from '../../shared/services.js';
import { siteAssetsChanged, siteAssetsDeleted } from '../events.js';
import { holdShown } from '../follow-copies.js';
import { beginPlacingSite, findProblem, releaseUrl, rewriteTo, type SiteTools } from './place-release.js';
import { planRelease, readReadable } from './plan-release.js';
import {
  countSiteFiles,
  deleteSiteFolder,
  findSiteFolder,
  insertSiteFolder,
  listAllSiteFiles,
  listSiteFiles,
  listSiteFolders,
  type SiteFolder,
  updateSiteFolder,
} from './queries.js';
import {
  releasePlanSchema,
  siteFileSchema,
  siteFolderBody,
  siteFolderPatch,
  siteFolderSchema,
} from './schemas.js';

interface Id {
  id: string;
}
interface FolderBody {
  name: string;
  folder: string;
  url: string;
  store: string;
  rewritePages: boolean;
}

const params = Joi.object({ id: idSchema.required() });

/** Site assets: folders of style sheets, scripts and fonts that are placed in stores. */
export function siteAssetRoutes({ buckets, inspector }: Pick<SiteTools, 'buckets' | 'inspector'>): Route[] {
  return [
    listRoute(buckets),
    addRoute(buckets, inspector),
    getRoute(buckets),
    changeRoute(buckets, inspector),
    deleteRoute,
    filesRoute(buckets),
    placeRoute(inspector),
  ];
}

async function toAnswer(db: Executor, buckets: Buckets, one: SiteFolder) {
  const { id, storeId, release } = one;
  const open = await buckets.open(db, storeId);
  const figures = (await countSiteFiles(db)).get(id) ?? { files: 0, bytes: 0 };
  return {
    ...{ id, name: one.name, folder: one.folder, url: one.url, store: open.store.name },
    ...{ rewritePages: one.rewritePages, release, ...figures, placedAt: isoTimeOrNull(one.placedAt) },
    releaseUrl: release === null || !open.isPublic ? null : releaseUrl(open, one, release),
  };
}

async function answerOne(db: Executor, buckets: Buckets, id: string, status: 200 | 201 = 200) {
  const one = await requireFolder(db, id);
  return {
    status,
    body: await toAnswer(db, buckets, one),
    headers: { ETag: revisionTag(id, one.revision) },
  };
}

function listRoute(buckets: Buckets): Route {
  return route({
    method: 'get',
    path: `${API_BASE}/site-assets`,
    access: 'pages:read',
    summary: 'List the folders of site assets by name',
    answers: { 200: { description: 'All of them', schema: pageOf(siteFolderSchema) } },
    async handle({ services: { db } }) {
      const items = [];
      for (const one of await listSiteFolders(db)) items.push(await toAnswer(db, buckets, one));
      return { status: 200, body: { items, total: items.length, next: null } };
    },
  });
}

function addRoute(buckets: Buckets, inspector: Inspector): Route {
  return route<object, object, FolderBody>({
    method: 'post',
    path: `${API_BASE}/site-assets`,
    access: 'pages:write',
    summary: 'Add a folder of style sheets, scripts and fonts that a store is to serve',
    body: siteFolderBody,
    answers: { 201: { description: 'The folder', schema: siteFolderSchema } },
    async handle({ services: { db, config }, who, body: { store, ...settings } }) {
      const { id: storeId } = await requirePublicStore(db, buckets, store);
      await readReadable({ config, inspector }, settings);
      const id = await inTransaction(db, async (tx) => {
        const added = await insertSiteFolder(tx, { ...settings, storeId });
        const data = { id: added, name: settings.name };
        await recordEvent(tx, { event: siteAssetsChanged, by: who.name, data });
        return added;
      });
      return answerOne(db, buckets, id, 201);
    },
  });
}

function getRoute(buckets: Buckets): Route {
  return route<Id>({
    method: 'get',
    path: `${API_BASE}/site-assets/{id}`,
    access: 'pages:read',
    summary: 'Get a folder of site assets',
    params,
    answers: { 200: { description: 'The folder', schema: siteFolderSchema } },
    handle: ({ services: { db }, params: { id } }) => answerOne(db, buckets, id),
  });
}

function changeRoute(buckets: Buckets, inspector: Inspector): Route {
  return route<Id, object, Partial<Omit<FolderBody, 'store'>>>({
    method: 'patch',
    path: `${API_BASE}/site-assets/{id}`,
    access: 'pages:write',
    summary: 'Change a folder of site assets; pages follow when "rewritePages" changes',
    params,
    body: siteFolderPatch,
    answers: {
      200: {
        description: 'The folder as it is now, and the run that rewrites pages',
        schema: answer({ siteAssets: siteFolderSchema, run: idSchema.allow(null) }),
      },
    },
    async handle({ services, req, who, params: { id }, body }) {
      const { db, config } = services;
      const before = await requireFolder(db, id);
      if (body.folder !== undefined || body.url !== undefined)
        await readReadable({ config, inspector }, { ...before, ...body });
      const open = await buckets.open(db, before.storeId);
      if (body.rewritePages && !before.rewritePages) await requireShowable(services, before, open);
      const run = await inTransaction(db, async (tx) => {
        const locked = await requireFolder(tx, id, { lock: true });
        requireMatch(req.get('if-match'), revisionTag(id, locked.revision), `"${locked.name}"`);
        const next = { ...locked, ...body };
        if (locked.rewritePages && next.url !== locked.url)
          throw new UniferumError(
            'conflict',
            'Pages lead to the store in place of the present address. Set "rewritePages" to false first, and let the pages be rewritten.',
          );
        await updateSiteFolder(tx, id, next);
        await recordEvent(tx, { event: siteAssetsChanged, by: who.name, data: { id, name: next.name } });
        const follows = next.rewritePages !== locked.rewritePages && locked.release !== null && open.isPublic;
        return follows ? rewriteTo(tx, next, open) : null;
      });
      const { body: siteAssets, headers } = await answerOne(db, buckets, id);
      return { status: 200, body: { siteAssets, run }, headers };
    },
  });
}

const deleteRoute = route<Id>({
  method: 'delete',
  path: `${API_BASE}/site-assets/{id}`,
  access: 'pages:write',
  summary: 'Delete a folder of site assets and its files in the store, once no page leads to them',
  params,
  answers: { 204: { description: 'It is deleted; the cleanup deletes its files' } },
  async handle({ services: { db }, who, params: { id } }) {
    await inTransaction(db, async (tx) => {
      const one = await requireFolder(tx, id, { lock: true });
      await refuseShown(tx, one);
      await deleteSiteFolder(tx, id);
      await recordEvent(tx, { event: siteAssetsDeleted, by: who.name, data: { id, name: one.name } });
    });
    return { status: 204 };
  },
});

function filesRoute(buckets: Buckets): Route {
  return route<Id, { limit: number; cursor?: string }>({
    method: 'get',
    path: `${API_BASE}/site-assets/{id}/files`,
    access: 'pages:read',
    summary: 'List the files of the current release with their addresses, for templates and build scripts',
    params,
    query: Joi.object(pagingSchemas),
    answers: { 200: { description: 'A page of files', schema: pageOf(siteFileSchema) } },
    async handle({ services: { db }, params: { id }, query: { limit, cursor } }) {
      const one = await requireFolder(db, id);
      const { body } = await answerOne(db, buckets, id);
      if (one.release === null || body.releaseUrl === null)
        return { status: 200, body: { items: [], total: 0, next: null } };
      const after = cursor === undefined ? '' : String(readCursor(cursor, 1)[0]);
      const rows = await listSiteFiles(db, { folder: id, release: one.release, after, limit: limit + 1 });
      const page = cutPage(rows, limit, (row) => [row.path]);
      const items = page.rows.map(({ path: at, mime, bytes, sha256, integrity }) => ({
        ...{ path: at, mime, bytes, sha256, integrity },
        url: body.releaseUrl + encodePath(at),
      }));
      return { status: 200, body: { items, total: body.files, next: page.next } };
    },
  });
}

const placeRoute = (inspector: Inspector) =>
  route<Id, { rehearse: boolean }>({
    method: 'post',
    path: `${API_BASE}/site-assets/{id}/place`,
    access: 'pages:write',
    summary: 'Place the files of a folder as they are now, under addresses of their own',
    params,
    query: rehearsable,
    answers: { 200: { description: 'What would be placed', schema: releasePlanSchema }, 202: runAnswer },
    async handle({ services, who, params: { id }, query: { rehearse } }) {
      const one = await requireFolder(services.db, id);
      if (rehearse)
        return { status: 200, body: { plan: await planRelease({ ...services, inspector }, one) } };
      return answerRun(services, await beginPlacingSite(services.db, one, who.name));
    },
  });

async function requireFolder(db: Executor, id: string, options = {}): Promise<SiteFolder> {
  const one = await findSiteFolder(db, id, options);
  if (one === null) throw notFound(`Site assets ${id}`);
  return one;
}

async function requirePublicStore(db: Executor, buckets: Buckets, name: string): Promise<PlacedStore> {
  const store = (await listStores(db)).find((one) => one.name === name);
  if (!store)
    throw new UniferumError('malformed-request', `There is no store "${name}".`, {
      errors: [{ field: 'store', code: 'unknown-store', message: `There is no store "${name}".` }],
    });
  if (!(await buckets.open(db, store.id)).isPublic)
    throw new UniferumError(
      'conflict',
      `Nobody can read the store "${name}" without credentials. Give its connection a public address first.`,
    );
  return store;
}

/** Pages are rewritten only to what browsers show. @throws UniferumError `conflict` with what to do */
async function requireShowable(
  { db, config }: Pick<Services, 'db' | 'config'>,
  one: SiteFolder,
  open: OpenStore,
): Promise<void> {
  const paths = (await listAllSiteFiles(db, one.id))
    .filter(({ release_id }) => release_id === one.release)
    .map((file) => file.path);
  const problem = open.isPublic ? await findProblem(config, one, { open, paths }) : null;
  if (problem !== null) throw new UniferumError('conflict', `${problem} Pages stay as they are.`);
}

/** @throws UniferumError `conflict` */
async function refuseShown(db: Executor, { id, name: called }: SiteFolder): Promise<void> {
  const files = await listAllSiteFiles(db, id);
  for (let at = 0; at < files.length; at += 1000) {
    const some = files
      .slice(at, at + 1000)
      .map(({ store_id, store_key }) => ({ storeId: store_id, key: store_key }));
    if ((await holdShown(db, some)).size > 0)
      throw new UniferumError(
        'conflict',
        `Pages still lead to files of "${called}" in the store. Set "rewritePages" to false, and wait until they are rewritten and indexed.`,
      );
  }
}
