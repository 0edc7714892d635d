import type { AssetSort } from '@uniferum/core';
import Joi from 'joi';
import { countAssetEvents, readAssetEvents } from '../hooks/outbox.js';
import { cutPage, readCursor, writeCursor } from '../shared/cursor.js';
import { isoTime } from '../shared/database.js';
import { notFound } from '../shared/errors.js';
import { hasCurrent, revisionTag } from '../shared/etag.js';
import { API_BASE, type Route, route } from '../shared/route.js';
import { answer, component, folderPathSchema, idSchema, pageOf, pagingSchemas } from '../shared/schemas.js';
import { toAssetAnswers } from './asset-answers.js';
import { findPageIds } from './asset-pages.js';
import { findAsset, findAssets } from './asset-queries.js';
import {
  assetChangeSchema,
  assetListQuery,
  assetSchema,
  eventSchema,
  renditionSchema,
  versionSchema,
} from './asset-schemas.js';
import { type AssetChange, changeAsset, deleteAsset, readAsset, restoreAsset } from './assets.js';
import { sendContent } from './content.js';
import { findPage, readySearch } from './find-pages.js';
import { findRoutes } from './find-routes.js';
import { findFolderByPath, listFoldersWithin, toFolderAnswers } from './folder-queries.js';
import { changeFolder, type FolderChange, makeFolder, readFolder, removeFolder } from './folders.js';
import { keepRoutes } from './keep-routes.js';
import { listVersions } from './version-queries.js';

const folderSchema = component(
  'Folder',
  answer({
    id: idSchema,
    path: Joi.string(),
    name: Joi.string().allow(''),
    colour: Joi.string().allow(null),
    parent: idSchema.allow(null),
    items: Joi.number().integer(),
    bytes: Joi.number().integer(),
    deepItems: Joi.number().integer(),
    deepBytes: Joi.number().integer(),
  }),
);

const params = Joi.object({ id: idSchema.required() });
const colour = Joi.string()
  .pattern(/^#[0-9a-f]{6}$/i)
  .allow(null);

interface Id {
  id: string;
}

const folderRoutes: Route[] = [
  route<object, { within: string; limit: number; cursor?: string }>({
    method: 'get',
    path: `${API_BASE}/folders`,
    access: 'library:read',
    summary: 'List folders in the order of their paths',
    query: Joi.object({
      within: folderPathSchema.default('/').description('this folder and all below it'),
      ...pagingSchemas,
      limit: pagingSchemas.limit.max(5000).default(1000),
    }),
    answers: { 200: { description: 'A page of folders', schema: pageOf(folderSchema) } },
    async handle({ app, query: { within, limit, cursor } }) {
      const all = toFolderAnswers(await listFoldersWithin(app.db, within));
      const after = cursor === undefined ? '' : String(readCursor(cursor, 1)[0]);
      const rest = all.filter(({ path }) => path > after);
      const items = rest.slice(0, limit);
      const last = items.at(-1);
      return {
        status: 200,
        body: {
          items,
          total: all.length,
          next: rest.length > items.length && last ? writeCursor([last.path]) : null,
        },
      };
    },
  }),
  route<object, object, { path: string }>({
    method: 'post',
    path: `${API_BASE}/folders`,
    access: 'library:write',
    summary: 'Make a folder, and those above it that are missing',
    body: Joi.object({ path: folderPathSchema.required() }).example({ path: '/lights/gannet' }),
    answers: { 201: { description: 'The folder', schema: folderSchema } },
    async handle({ app, who, body: { path } }) {
      const folder = await makeFolder(app.db, path, who.name);
      return {
        status: 201,
        body: folder,
        headers: { Location: `${app.config.publicUrl}${API_BASE}/folders/${folder.id}` },
      };
    },
  }),
  route<Id>({
    method: 'get',
    path: `${API_BASE}/folders/{id}`,
    access: 'library:read',
    summary: 'One folder',
    params,
    answers: { 200: { description: 'The folder', schema: folderSchema } },
    async handle({ app, params: { id } }) {
      const { folder, revision } = await readFolder(app.db, id);
      return { status: 200, body: folder, headers: { ETag: revisionTag(id, revision) } };
    },
  }),
  route<Id, object, FolderChange>({
    method: 'patch',
    path: `${API_BASE}/folders/{id}`,
    access: 'library:write',
    summary: 'Rename, move or colour a folder; old addresses forward',
    params,
    body: Joi.object({
      name: Joi.string()
        .trim()
        .min(1)
        .max(180)
        .pattern(/^[^/]+$/),
      parent: folderPathSchema,
      colour,
    })
      .min(1)
      .example({ name: 'gannet-head' }),
    answers: { 200: { description: 'The folder as it is now', schema: folderSchema } },
    async handle({ app, who, params: { id }, body, req }) {
      await changeFolder(app.db, id, body, { by: who.name, ifMatch: req.get('if-match') });
      const { folder, revision } = await readFolder(app.db, id);
      return { status: 200, body: folder, headers: { ETag: revisionTag(id, revision) } };
    },
  }),
  route<Id>({
    method: 'delete',
    path: `${API_BASE}/folders/{id}`,
    access: 'library:delete',
    summary: 'Take an empty folder away',
    params,
    answers: { 204: { description: 'The folder is gone' } },
    async handle({ app, who, params: { id }, req }) {
      await removeFolder(app.db, id, { by: who.name, ifMatch: req.get('if-match') });
      return { status: 204 };
    },
  }),
];

interface AssetListQuery {
  q: string;
  folder: string;
  deep: boolean;
  sort: AssetSort;
  limit: number;
  cursor?: string;
}

const assetRoutes: Route[] = [
  route<object, AssetListQuery>({
    method: 'get',
    path: `${API_BASE}/assets`,
    access: 'library:read',
    summary: 'List the assets of a folder, or those that a filter finds there',
    query: assetListQuery,
    answers: { 200: { description: 'A page of assets', schema: pageOf(assetSchema) } },
    async handle({ app, query: { q, folder, deep, sort, limit, cursor } }) {
      const stored = await findFolderByPath(app.db, folder);
      if (stored === null) throw notFound(`The folder ${folder}`);
      if (q.trim() !== '') {
        const found = await findPage(app.db, await readySearch(app.db, { q, folder, deep }), {
          sort,
          limit,
          cursor,
        });
        const items = await toAssetAnswers(app.db, await findAssets(app.db, found.ids), app.config.publicUrl);
        return { status: 200, body: { items, total: found.total, next: found.next } };
      }
      const within = deep ? await listFoldersWithin(app.db, folder) : [stored];
      const folders =
        deep && folder === '/' ? null : within.filter(({ items }) => items > 0).map(({ id }) => id);
      const { ids, next } = await findPageIds(app.db, { folders, sort, limit, cursor });
      const items = await toAssetAnswers(app.db, await findAssets(app.db, ids), app.config.publicUrl);
      return {
        status: 200,
        body: { items, total: within.reduce((sum, { items: count }) => sum + count, 0), next },
      };
    },
  }),
  route<Id>({
    method: 'get',
    path: `${API_BASE}/assets/{id}`,
    access: 'library:read',
    summary: 'One asset with its renditions and copies',
    params,
    answers: { 200: { description: 'The asset', schema: assetSchema }, 304: { description: 'Unchanged' } },
    async handle({ app, params: { id }, req }) {
      const { asset, etag } = await readAsset(app.db, id, app.config.publicUrl);
      if (hasCurrent(req.get('if-none-match'), etag)) return { status: 304, headers: { ETag: etag } };
      return { status: 200, body: asset, headers: { ETag: etag } };
    },
  }),
  route<Id, object, Omit<AssetChange, 'capturedAt'> & { capturedAt?: Date | null }>({
    method: 'patch',
    path: `${API_BASE}/assets/{id}`,
    access: 'library:write',
    summary: 'Edit texts, rename or move an asset; old addresses forward',
    params,
    body: assetChangeSchema,
    answers: { 200: { description: 'The asset as it is now', schema: assetSchema } },
    async handle({ app, who, params: { id }, body: { capturedAt, ...body }, req }) {
      const change: AssetChange = {
        ...body,
        ...(capturedAt !== undefined && { capturedAt: capturedAt?.toISOString() ?? null }),
      };
      await changeAsset(app.db, id, change, { who, ifMatch: req.get('if-match') });
      const { asset, etag } = await readAsset(app.db, id, app.config.publicUrl);
      return { status: 200, body: asset, headers: { ETag: etag } };
    },
  }),
  route<Id>({
    method: 'delete',
    path: `${API_BASE}/assets/{id}`,
    access: 'library:delete',
    summary: 'Put an asset into the bin',
    params,
    answers: { 204: { description: 'It is in the bin' } },
    async handle({ app, who, params: { id }, req }) {
      await deleteAsset(app.db, id, { who, ifMatch: req.get('if-match') });
      return { status: 204 };
    },
  }),
  route<Id>({
    method: 'post',
    path: `${API_BASE}/assets/{id}/restore`,
    access: 'library:delete',
    summary: 'Take an asset out of the bin',
    params,
    answers: { 200: { description: 'The asset', schema: assetSchema } },
    async handle({ app, who, params: { id } }) {
      await restoreAsset(app.db, id, who);
      const { asset, etag } = await readAsset(app.db, id, app.config.publicUrl);
      return { status: 200, body: asset, headers: { ETag: etag } };
    },
  }),
  route<Id>({
    method: 'get',
    path: `${API_BASE}/assets/{id}/content`,
    access: 'library:read',
    summary: 'Download the original, whole or by ranges',
    params,
    answers: {
      200: { description: 'The bytes', contentType: '*/*' },
      206: { description: 'A part of the bytes', contentType: '*/*' },
      304: { description: 'Unchanged' },
    },
    async handle({ app, params: { id }, req, res }) {
      const row = await findAsset(app.db, id);
      if (row === null) throw notFound(`Asset ${id}`);
      const { sha256, bytes, mime, name, updated_at } = row;
      return sendContent(req, res, app.store, {
        sha256,
        bytes,
        mime,
        name,
        modifiedAt: updated_at,
        asAttachment: true,
        cacheControl: 'private, no-cache',
      });
    },
  }),
  route<Id>({
    method: 'get',
    path: `${API_BASE}/assets/{id}/renditions`,
    access: 'library:read',
    summary: 'All renditions of an asset',
    params,
    answers: { 200: { description: 'The renditions', schema: pageOf(renditionSchema) } },
    async handle({ app, params: { id } }) {
      const { asset } = await readAsset(app.db, id, app.config.publicUrl);
      return { status: 200, body: { items: asset.renditions, total: asset.renditions.length, next: null } };
    },
  }),
  route<Id>({
    method: 'get',
    path: `${API_BASE}/assets/{id}/versions`,
    access: 'library:read',
    summary: 'The versions of an asset, newest first',
    params,
    answers: { 200: { description: 'The versions', schema: pageOf(versionSchema) } },
    async handle({ app, params: { id } }) {
      await readAsset(app.db, id, app.config.publicUrl);
      const items = (await listVersions(app.db, id)).map(
        ({ made_by, created_at, orientation: _, restored_from, optimised_from, ...version }) => ({
          ...version,
          restoredFrom: restored_from,
          optimisedFrom: optimised_from,
          url: `${app.config.publicUrl}${API_BASE}/assets/${id}/versions/${version.n}/content`,
          by: made_by,
          createdAt: isoTime(created_at),
        }),
      );
      return { status: 200, body: { items, total: items.length, next: null } };
    },
  }),
  route<Id, { limit: number; cursor?: string }>({
    method: 'get',
    path: `${API_BASE}/assets/{id}/events`,
    access: 'library:read',
    summary: "An asset's history, newest first",
    params,
    query: Joi.object(pagingSchemas),
    answers: { 200: { description: 'A page of events', schema: pageOf(eventSchema) } },
    async handle({ app, params: { id }, query: { limit, cursor } }) {
      const before = cursor === undefined ? null : Number(readCursor(cursor, 1)[0]);
      const page = cutPage(await readAssetEvents(app.db, id, { limit, before }), limit, (event) => [
        Number(event.id),
      ]);
      return {
        status: 200,
        body: { items: page.rows, total: await countAssetEvents(app.db, id), next: page.next },
      };
    },
  }),
];

// What has a name of its own comes before what takes any id in its place.
export const libraryRoutes: Route[] = [...folderRoutes, ...findRoutes, ...keepRoutes, ...assetRoutes];
