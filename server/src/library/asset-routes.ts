import { type AssetSort, cleanName } from '@uniferum/core/library';
import Joi from 'joi';
import { countAssetEvents, readAssetEvents } from '../events/outbox.js';
import { cutPage, readCursor } from '../shared/cursor.js';
import { isoTime } from '../shared/database.js';
import { notFound, UniferumError } from '../shared/errors.js';
import { hasCurrent } from '../shared/etag.js';
import { requireScope } from '../shared/register-routes.js';
import { API_BASE, type Route, route } from '../shared/route.js';
import { idSchema, pageOf, pagingSchemas } from '../shared/schemas.js';
import { sendContent } from '../stores/send-content.js';
import { toAssetAnswers } from './asset-answers.js';
import { findPageIds } from './asset-pages.js';
import { findAsset, findAssetByName, findAssets } from './asset-queries.js';
import {
  assetChangeSchema,
  assetListQuery,
  assetSchemaOf,
  eventSchema,
  versionSchema,
} from './asset-schemas.js';
import { type AssetPatch, changeAsset, readAsset } from './assets.js';
import { deleteAsset, restoreAsset } from './bin-asset.js';
import { findPage, resolveSearch } from './find-pages.js';
import { findFolderByPath, listFoldersWithin } from './folder-queries.js';
import type { Joints } from './joints.js';
import { listVersions } from './version-queries.js';

const params = Joi.object({ id: idSchema.required() });

interface Id {
  id: string;
}

interface AssetListQuery {
  q: string;
  folder: string;
  deep: boolean;
  name?: string;
  sort: AssetSort;
  limit: number;
  cursor?: string;
}

/** Lists of assets, and single assets. */
function readRoutes(joints: Joints): Route[] {
  const assetSchema = assetSchemaOf(joints);
  return [
    route<object, AssetListQuery>({
      method: 'get',
      path: `${API_BASE}/assets`,
      access: 'library:read',
      summary: 'List the assets of a folder, or search in it',
      tokenFolder: ({ query }) => query.folder,
      query: assetListQuery,
      answers: { 200: { description: 'A page of assets', schema: pageOf(assetSchema) } },
      async handle({ services, query: { q, folder, deep, name, sort, limit, cursor } }) {
        const stored = await findFolderByPath(services.db, folder);
        if (stored === null) throw notFound(`The folder ${folder}`);
        if (name !== undefined) {
          if (q.trim() !== '')
            throw new UniferumError(
              'malformed-request',
              '"name" finds one asset in one folder. It can\'t be combined with "q".',
            );
          const asset = await findAssetByName(services.db, folder, cleanName(name));
          const items = await toAssetAnswers({ ...services, joints }, asset ? [asset] : []);
          return { status: 200, body: { items, total: items.length, next: null } };
        }
        if (q.trim() !== '') {
          const found = await findPage(
            services.db,
            await resolveSearch({ ...services, joints }, { q, folder, deep }),
            {
              sort,
              limit,
              cursor,
            },
          );
          const items = await toAssetAnswers(
            { ...services, joints },
            await findAssets(services.db, found.ids),
          );
          return { status: 200, body: { items, total: found.total, next: found.next } };
        }
        const within = deep ? await listFoldersWithin(services.db, folder) : [stored];
        const folders =
          deep && folder === '/' ? null : within.filter(({ items }) => items > 0).map(({ id }) => id);
        const { ids, next } = await findPageIds(services.db, { folders, sort, limit, cursor });
        const items = await toAssetAnswers({ ...services, joints }, await findAssets(services.db, ids));
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
      summary: 'Get an asset',
      tokenFolder: () => null,
      params,
      answers: { 200: { description: 'The asset', schema: assetSchema }, 304: { description: 'Unchanged' } },
      async handle({ services, who, params: { id }, req }) {
        const { asset, etag } = await readAsset({ ...services, joints }, id);
        requireScope(who, asset.folder.path);
        if (hasCurrent(req.get('if-none-match'), etag)) return { status: 304, headers: { ETag: etag } };
        return { status: 200, body: asset, headers: { ETag: etag } };
      },
    }),
  ];
}

/** The history of an asset. */
function historyRoutes(joints: Joints): Route[] {
  return [
    route<Id>({
      method: 'get',
      path: `${API_BASE}/assets/{id}/versions`,
      access: 'library:read',
      summary: 'List the versions of an asset, newest first',
      params,
      answers: { 200: { description: 'The versions', schema: pageOf(versionSchema) } },
      async handle({ services, params: { id } }) {
        await readAsset({ ...services, joints }, id);
        const items = (await listVersions(services.db, id)).map(
          ({ made_by, created_at, orientation: _, restored_from, optimised_from, ...version }) => ({
            ...version,
            restoredFrom: restored_from,
            optimisedFrom: optimised_from,
            url: `${services.config.publicUrl}${API_BASE}/assets/${id}/versions/${version.n}/content`,
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
      summary: 'List the history of an asset, newest first',
      params,
      query: Joi.object(pagingSchemas),
      answers: { 200: { description: 'A page of events', schema: pageOf(eventSchema) } },
      async handle({ services, params: { id }, query: { limit, cursor } }) {
        const before = cursor === undefined ? null : Number(readCursor(cursor, 1)[0]);
        const page = cutPage(await readAssetEvents(services.db, id, { limit, before }), limit, (event) => [
          Number(event.id),
        ]);
        return {
          status: 200,
          body: { items: page.rows, total: await countAssetEvents(services.db, id), next: page.next },
        };
      },
    }),
  ];
}

/** Changes to an asset. */
function changeRoutes(joints: Joints): Route[] {
  const assetSchema = assetSchemaOf(joints);
  return [
    route<Id, object, AssetPatch>({
      method: 'patch',
      path: `${API_BASE}/assets/{id}`,
      access: 'library:write',
      summary: 'Edit the texts of an asset, rename or move it; old addresses redirect',
      params,
      body: assetChangeSchema,
      answers: { 200: { description: 'The asset as it is now', schema: assetSchema } },
      async handle({ services, who, params: { id }, body, req }) {
        await changeAsset({ ...services, joints }, id, body, { who, ifMatch: req.get('if-match') });
        const { asset, etag } = await readAsset({ ...services, joints }, id);
        return { status: 200, body: asset, headers: { ETag: etag } };
      },
    }),
    route<Id, { force: boolean }>({
      method: 'delete',
      path: `${API_BASE}/assets/{id}`,
      access: 'library:delete',
      summary: 'Move an asset to the bin; one that pages use only with force',
      params,
      query: Joi.object({
        force: Joi.boolean().default(false).description('although it is in use, which breaks the pages'),
      }),
      answers: { 204: { description: 'It is in the bin' } },
      async handle({ services, who, params: { id }, query: { force }, req }) {
        const context = { who, ifMatch: req.get('if-match'), isForced: force };
        await deleteAsset({ ...services, joints }, id, context);
        return { status: 204 };
      },
    }),
    route<Id>({
      method: 'post',
      path: `${API_BASE}/assets/{id}/restore`,
      access: 'library:delete',
      summary: 'Restore an asset from the bin',
      params,
      answers: { 200: { description: 'The asset', schema: assetSchema } },
      async handle({ services, who, params: { id } }) {
        await restoreAsset({ ...services, joints }, id, who);
        const { asset, etag } = await readAsset({ ...services, joints }, id);
        return { status: 200, body: asset, headers: { ETag: etag } };
      },
    }),
  ];
}

const contentRoute: Route = route<Id>({
  method: 'get',
  path: `${API_BASE}/assets/{id}/content`,
  access: 'library:read',
  summary: 'Download the original; supports range requests',
  params,
  answers: {
    200: { description: 'The bytes', contentType: '*/*' },
    206: { description: 'A part of the bytes', contentType: '*/*' },
    304: { description: 'Unchanged' },
  },
  async handle({ services, params: { id }, req, res }) {
    const row = await findAsset(services.db, id);
    if (row === null) throw notFound(`Asset ${id}`);
    const { sha256, bytes, mime, name, updated_at } = row;
    return sendContent(req, res, services.store, {
      sha256,
      bytes,
      mime,
      name,
      modifiedAt: updated_at,
      asAttachment: true,
      cacheControl: 'private, no-cache',
    });
  },
});

/** The routes of single assets. */
export function assetRoutes(joints: Joints): Route[] {
  return [...readRoutes(joints), ...historyRoutes(joints), ...changeRoutes(joints), contentRoute];
}
