import Joi from 'joi';
import { answerRun } from '../runs/answer.js';
import { runSchema } from '../runs/schemas.js';
import { cutPage, readCursor } from '../shared/cursor.js';
import { isoTime } from '../shared/database.js';
import { API_BASE, type Route, route } from '../shared/route.js';
import { answer, idSchema, pageOf, pagingSchemas, timeSchema } from '../shared/schemas.js';
import { toAssetAnswers } from './asset-answers.js';
import { assetSchemaOf } from './asset-schemas.js';
import { countBinned, listBinned, listBinnedIds } from './bin-queries.js';
import { beginBulkAction } from './bulk-runs.js';
import type { Joints } from './joints.js';

const count = Joi.number().integer().min(0);
const rehearsable = Joi.object({ rehearse: Joi.boolean().default(false) });

/** The routes of the bin. */
export function binRoutes(joints: Joints): Route[] {
  const assetSchema = assetSchemaOf(joints);
  return [
    route<object, { limit: number; cursor?: string }>({
      method: 'get',
      path: `${API_BASE}/bin`,
      access: 'library:read',
      summary: 'List the assets in the bin, most recently deleted first',
      query: Joi.object(pagingSchemas),
      answers: {
        200: {
          description: 'A page of assets, each with when it was put there',
          schema: pageOf(assetSchema.keys({ deletedAt: timeSchema.required() })).keys({
            bytes: count.required(),
          }),
        },
      },
      async handle({ services, query: { limit, cursor } }) {
        const position = cursor === undefined ? null : readCursor(cursor, 2);
        const before = position && { at: new Date(String(position[0])), id: Number(position[1]) };
        const page = cutPage(await listBinned(services.db, { limit, before }), limit, (row) => [
          row.deleted_at?.toISOString() ?? '',
          row.id,
        ]);
        const assets = await toAssetAnswers({ ...services, joints }, page.rows);
        const { items: total, bytes } = await countBinned(services.db);
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
      summary: 'Empty the bin permanently, completely or by age',
      query: rehearsable,
      body: Joi.object({
        olderThanDays: Joi.number().integer().min(1).max(36_500).allow(null).default(null),
      }).example({ olderThanDays: 30 }),
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
      async handle({ services, who, query, body: { olderThanDays } }) {
        const before = olderThanDays === null ? null : new Date(Date.now() - olderThanDays * 86_400_000);
        const ids = await listBinnedIds(services.db, before);
        if (query.rehearse)
          return {
            status: 200,
            body: {
              plan: {
                items: ids.slice(0, 1000).map((asset) => ({ asset })),
                totals: { selected: ids.length },
              },
            },
          };
        return answerRun(
          services,
          await beginBulkAction(services.db, who, ids, { action: 'purge', isForced: false }),
        );
      },
    }),
  ];
}
