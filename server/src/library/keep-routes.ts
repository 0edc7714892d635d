import { type BulkChange, PLAIN_TEXTS } from '@uniferum/core';
import type { Request } from 'express';
import Joi from 'joi';
import type { App } from '../app.js';
import { readMultipart } from '../intake/multipart.js';
import { receiveStaged } from '../intake/take-in.js';
import { answerRun } from '../runs/answer.js';
import { runSchema } from '../runs/routes.js';
import { cutPage, readCursor } from '../shared/cursor.js';
import { isoTime } from '../shared/database.js';
import { notFound, UniferumError } from '../shared/errors.js';
import { API_BASE, type Route, route } from '../shared/route.js';
import { answer, folderPathSchema, idSchema, pageOf, pagingSchemas, timeSchema } from '../shared/schemas.js';
import type { StagedBytes } from '../stores/byte-store.js';
import { toAssetAnswers } from './asset-answers.js';
import { findAsset } from './asset-queries.js';
import { assetSchema, filterSchema } from './asset-schemas.js';
import { readAsset } from './assets.js';
import { countBinned, listBinned, listBinnedIds } from './bin-queries.js';
import {
  BULK_ACTIONS,
  type BulkAction,
  beginBulkAction,
  beginBulkEdit,
  beginUndo,
  listSelected,
  rehearseBulkEdit,
  type Selection,
} from './bulk.js';
import { sendContent } from './content.js';
import { findVersion } from './version-queries.js';
import { replaceContent, restoreVersion } from './versions.js';

const count = Joi.number().integer().min(0);
const params = Joi.object({ id: idSchema.required() });
const versionParams = Joi.object({ id: idSchema.required(), n: Joi.number().integer().min(1).required() });
const rehearsable = Joi.object({ rehearse: Joi.boolean().default(false) });

const versionRoutes: Route[] = [
  route<{ id: string }>({
    method: 'put',
    path: `${API_BASE}/assets/{id}/content`,
    access: 'library:write',
    summary: 'Replace the bytes at the same address: a new version',
    params,
    multipart: Joi.object({
      file: Joi.binary().required().description('the new bytes; or send them as the raw body'),
    }),
    answers: { 200: { description: 'The asset with its new version', schema: assetSchema } },
    async handle({ app, who, params: { id }, req }) {
      const row = await findAsset(app.db, id);
      if (row === null || row.live === null) throw notFound(`Asset ${id}`);
      const staged = await stageBody(app, req);
      const file = { name: row.name, folder: row.folder_path, texts: {} };
      await replaceContent(app, id, await receiveStaged(app, file, staged), {
        who,
        ifMatch: req.get('if-match'),
      });
      const { asset, etag } = await readAsset(app.db, id, app.config.publicUrl);
      return { status: 200, body: asset, headers: { ETag: etag } };
    },
  }),
  route<{ id: string; n: number }>({
    method: 'get',
    path: `${API_BASE}/assets/{id}/versions/{n}/content`,
    access: 'library:read',
    summary: 'The bytes of one version',
    params: versionParams,
    answers: {
      200: { description: 'The bytes', contentType: '*/*' },
      206: { description: 'A part of them', contentType: '*/*' },
      304: { description: 'Unchanged' },
    },
    async handle({ app, params: { id, n }, req, res }) {
      const [row, version] = await Promise.all([findAsset(app.db, id), findVersion(app.db, id, n)]);
      if (row === null || version === null) throw notFound(`Version ${n} of asset ${id}`);
      return sendContent(req, res, app.store, {
        sha256: version.sha256,
        bytes: version.bytes,
        mime: version.mime,
        name: row.name,
        modifiedAt: version.created_at,
        asAttachment: false,
        cacheControl: 'private, max-age=31536000, immutable',
      });
    },
  }),
  route<{ id: string; n: number }>({
    method: 'post',
    path: `${API_BASE}/assets/{id}/versions/{n}/restore`,
    access: 'library:write',
    summary: 'Make an earlier version the current one again, as a new version',
    params: versionParams,
    answers: { 200: { description: 'The asset', schema: assetSchema } },
    async handle({ app, who, params: { id, n }, req }) {
      await restoreVersion(app, id, n, { who, ifMatch: req.get('if-match') });
      const { asset, etag } = await readAsset(app.db, id, app.config.publicUrl);
      return { status: 200, body: asset, headers: { ETag: etag } };
    },
  }),
];

async function stageBody(app: App, req: Request): Promise<StagedBytes> {
  const limit = { limitBytes: app.config.maxUploadBytes };
  if (!/^multipart\/form-data\b/i.test(req.get('content-type') ?? '')) return app.store.stage(req, limit);
  let staged: StagedBytes | null = null;
  await readMultipart(req, async ({ stream }) => {
    await staged?.discard();
    staged = await app.store.stage(stream, limit);
  });
  if (staged === null)
    throw new UniferumError('malformed-request', 'There was no file in it. Send one part named "file".');
  return staged;
}

const binRoutes: Route[] = [
  route<object, { limit: number; cursor?: string }>({
    method: 'get',
    path: `${API_BASE}/bin`,
    access: 'library:read',
    summary: 'What is in the bin, what was put there last first',
    query: Joi.object(pagingSchemas),
    answers: {
      200: {
        description: 'A page of assets, each with when it was put there',
        schema: pageOf(assetSchema.keys({ deletedAt: timeSchema.required() })).keys({
          bytes: count.required(),
        }),
      },
    },
    async handle({ app, query: { limit, cursor } }) {
      const position = cursor === undefined ? null : readCursor(cursor, 2);
      const before = position && { at: new Date(String(position[0])), id: Number(position[1]) };
      const page = cutPage(await listBinned(app.db, { limit, before }), limit, (row) => [
        row.deleted_at?.toISOString() ?? '',
        row.id,
      ]);
      const assets = await toAssetAnswers(app.db, page.rows, app.config.publicUrl);
      const { items: total, bytes } = await countBinned(app.db);
      const items = assets.map((asset, index) => ({
        ...asset,
        deletedAt: isoTime(page.rows[index]?.deleted_at ?? new Date(0)),
      }));
      return { status: 200, body: { items, total, bytes, next: page.next } };
    },
  }),
  route<object, { rehearse: boolean }, { olderThanDays: number | null }>({
    method: 'post',
    path: `${API_BASE}/bin/empty`,
    access: 'library:delete',
    summary: 'Empty the bin for good, all of it or what has been there for some days',
    query: rehearsable,
    body: Joi.object({ olderThanDays: Joi.number().integer().min(1).allow(null).default(null) }),
    answers: {
      200: {
        description: 'The rehearsal',
        schema: answer({
          plan: answer({
            items: Joi.array().items(answer({ asset: idSchema })),
            totals: answer({ selected: count }),
          }),
        }),
      },
      202: { description: 'The run that empties it', schema: answer({ run: runSchema }) },
    },
    async handle({ app, who, query, body: { olderThanDays } }) {
      const before = olderThanDays === null ? null : new Date(Date.now() - olderThanDays * 86_400_000);
      const ids = await listBinnedIds(app.db, before);
      if (query.rehearse)
        return {
          status: 200,
          body: {
            plan: { items: ids.slice(0, 1000).map((asset) => ({ asset })), totals: { selected: ids.length } },
          },
        };
      return answerRun(app, await beginBulkAction(app.db, who, ids, 'purge'));
    },
  }),
];

const text = (max: number) => Joi.string().max(max);
const texts = { title: text(500), alt: text(5000), caption: text(5000), credit: text(500) };
const words = Joi.array().items(Joi.string().trim().min(1).max(100)).max(200);

const changeSchema = Joi.object({
  set: Joi.object({
    ...Object.fromEntries(Object.entries(texts).map(([key, schema]) => [key, schema.allow(null, '')])),
    keywords: words,
  }).description('replaces; null empties'),
  append: Joi.object({ ...texts, keywords: words }).description('adds at the end, once'),
  fill: Joi.object({ ...texts, keywords: words }).description(
    'fills only the empty ones; a pattern may hold {words}, {stem}, {name}, {folder}, {title}, {year}',
  ),
  removeKeywords: words,
  replace: Joi.array()
    .items(
      Joi.object({
        field: Joi.string()
          .valid(...PLAIN_TEXTS, 'keywords')
          .required(),
        find: Joi.string().min(1).max(500).required(),
        with: Joi.string().max(500).allow('').required(),
      }),
    )
    .max(20),
  shiftMinutes: Joi.number().integer().min(-1_000_000).max(1_000_000).description('moves capture dates'),
  folder: folderPathSchema.description('moves them there'),
})
  .min(1)
  .example({ fill: { alt: '{words}' } });

const selectSchema = Joi.alternatives(
  Joi.object({ ids: Joi.array().items(idSchema).min(1).max(100_000).required() }),
  Joi.object({
    q: filterSchema,
    folder: folderPathSchema.default('/'),
    deep: Joi.boolean().default(true),
  }),
).required();

interface BulkBody {
  select: Selection;
  change?: BulkChange;
  action?: BulkAction;
}

const editLine = answer({
  asset: idSchema,
  name: Joi.string(),
  folder: Joi.string(),
  before: Joi.object().unknown(),
  after: Joi.object().unknown(),
});

const bulkRoutes: Route[] = [
  route<object, { rehearse: boolean }, BulkBody>({
    method: 'post',
    path: `${API_BASE}/assets/bulk`,
    access: 'library:write',
    summary: 'Edit, move or bin all assets of a selection, as a run that can be taken back',
    query: rehearsable,
    body: Joi.object({
      select: selectSchema,
      change: changeSchema,
      action: Joi.string().valid(...BULK_ACTIONS),
    })
      .xor('change', 'action')
      .example({ select: { q: 'alt:none', folder: '/lights' }, change: { fill: { alt: '{words}' } } }),
    answers: {
      200: {
        description: 'The rehearsal: the first 200 changes, and counts of all',
        schema: answer({
          plan: answer({
            items: Joi.array().items(editLine),
            totals: answer({ selected: count, changed: count, hasOne: count, noDate: count, same: count }),
          }),
        }),
      },
      202: { description: 'The run that does it', schema: answer({ run: runSchema }) },
    },
    async handle({ app, who, query, body: { select, change, action } }) {
      if (change)
        return query.rehearse
          ? { status: 200, body: { plan: await rehearseBulkEdit(app.db, select, change) } }
          : answerRun(app, await beginBulkEdit(app.db, who, select, change));
      if (!action) throw new UniferumError('malformed-request', 'Say what to do: a change or an action.');
      if (!who.rights.includes('library:delete'))
        throw new UniferumError('right-missing', `${who.name} has no right "library:delete".`);
      const ids = await listSelected(app.db, select);
      if (query.rehearse)
        return {
          status: 200,
          body: {
            plan: {
              items: [],
              totals: { selected: ids.length, changed: ids.length, hasOne: 0, noDate: 0, same: 0 },
            },
          },
        };
      return answerRun(app, await beginBulkAction(app.db, who, ids, action));
    },
  }),
  route<{ id: string }>({
    method: 'post',
    path: `${API_BASE}/runs/{id}/undo`,
    access: 'library:write',
    summary: 'Take back what a bulk job changed; what was changed again since stays',
    params,
    answers: { 202: { description: 'The run that takes it back', schema: answer({ run: runSchema }) } },
    handle: async ({ app, who, params: { id } }) => answerRun(app, await beginUndo(app.db, who, id)),
  }),
];

export const keepRoutes: Route[] = [...versionRoutes, ...binRoutes, ...bulkRoutes];
