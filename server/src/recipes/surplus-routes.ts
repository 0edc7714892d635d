import { originalAddress, renditionAddress } from '@uniferum/core/library';
import Joi from 'joi';
import { type Joints, placeKey, type RenditionPlace } from '../library/joints.js';
import { answerRun } from '../runs/answer.js';
import { cutPage, readCursor } from '../shared/cursor.js';
import { type Database, isoTimeOrNull } from '../shared/database.js';
import { groupBy } from '../shared/group.js';
import { API_BASE, type Route, route } from '../shared/route.js';
import { answer, idSchema, pageOf, pagingSchemas, timeSchema } from '../shared/schemas.js';
import type { Services } from '../shared/services.js';
import { fileEnd } from './file-end.js';
import { findRenditions } from './queries.js';
import { nameSchema } from './recipe-schemas.js';
import { count, rehearsable, runAnswer } from './rendition-schemas.js';
import { beginRemoval, chooseSubstitute, RESTORABLE_DAYS } from './surplus.js';
import {
  countSurplus,
  listSurplus,
  listSurplusKeys,
  type RenditionKey,
  type SurplusFilter,
  type SurplusRow,
} from './surplus-queries.js';

/** A size or format of a rendition as it appears in its URL: `800w.webp`. */
const variantSchema = Joi.string().pattern(/^[a-z0-9.-]{1,16}$/);

const surplusFilter = {
  recipes: Joi.array().items(nameSchema).min(1),
  unaskedDays: count.description('only those without a request in this many days'),
  keys: Joi.array()
    .items(answer({ asset: idSchema, recipe: nameSchema, variant: variantSchema.allow(null) }))
    .min(1)
    .max(10_000),
};

interface SurplusBody {
  recipes?: string[];
  unaskedDays?: number;
  keys?: { asset: string; recipe: string; variant: string | null }[];
}

function toFilter({ recipes, unaskedDays, keys }: SurplusBody): SurplusFilter {
  return {
    recipes,
    unaskedDays,
    keys: keys?.map(({ asset, recipe, variant }): RenditionKey => [Number(asset), recipe, variant ?? '']),
  };
}

const surplusSchema = answer({
  asset: answer({ id: idSchema, name: Joi.string(), folder: Joi.string() }),
  recipe: Joi.string(),
  variant: Joi.string().allow(null),
  url: Joi.string().uri(),
  mime: Joi.string(),
  width: count,
  height: count,
  bytes: count,
  why: Joi.string().valid('recipe-removed', 'size-removed', 'does-not-apply'),
  requests: count,
  lastRequestAt: timeSchema.allow(null),
  uses: count.description('the places on pages that show it'),
  leadsTo: Joi.string().uri().description('where its address leads once it is removed'),
});

/** Renditions that no recipe needs. */
export const surplusRoutes = (joints: SurplusJoints): Route[] => [listRoute(joints), removeRoute(joints)];

type SurplusJoints = Pick<Joints, 'renditionUses'>;

function listRoute(joints: SurplusJoints): Route {
  return route<object, { limit: number; cursor?: string; unaskedDays?: number; recipe?: string }>({
    method: 'get',
    path: `${API_BASE}/renditions/surplus`,
    access: 'recipes:read',
    summary: 'List renditions that no recipe requires, with their last request',
    query: Joi.object({ ...pagingSchemas, unaskedDays: count, recipe: nameSchema }),
    answers: {
      200: { description: 'A page of them', schema: pageOf(surplusSchema).keys({ bytes: count.required() }) },
    },
    async handle({ services, query: { limit, cursor, unaskedDays, recipe } }) {
      const filter: SurplusFilter = { unaskedDays, ...(recipe !== undefined && { recipes: [recipe] }) };
      const position = cursor === undefined ? null : readCursor(cursor, 3);
      const after =
        position &&
        ([String(position[0]), Number(position[1]), String(position[2])] as [string, number, string]);
      const rows = await listSurplus(services.db, filter, { limit, after });
      const page = cutPage(rows, limit, (row) => [row.recipe, row.asset_id, row.variant]);
      const { items: total, bytes } = await countSurplus(services.db, filter);
      const uses = await readUses(services.db, joints, page.rows.map(toPlace));
      const items = await toSurplusAnswers(services, page.rows, uses);
      return { status: 200, body: { items, total, bytes, next: page.next } };
    },
  });
}

function removeRoute(joints: SurplusJoints): Route {
  return route<object, { rehearse: boolean }, SurplusBody>({
    method: 'post',
    path: `${API_BASE}/renditions/surplus/remove`,
    access: 'recipes:write',
    summary: `Delete surplus renditions. Their addresses redirect; you can undo this for ${RESTORABLE_DAYS} days`,
    query: rehearsable,
    body: Joi.object(surplusFilter).example({ unaskedDays: 30 }),
    answers: {
      200: {
        description: 'What would be removed',
        schema: answer({
          plan: answer({
            items: Joi.array().items(surplusSchema),
            totals: answer({
              items: count,
              bytes: count,
              used: count.description('of those, shown on pages'),
            }),
          }),
        }),
      },
      202: runAnswer,
    },
    async handle({ services, who, query, body }) {
      const filter = toFilter(body);
      if (!query.rehearse) return answerRun(services, await beginRemoval(services.db, filter, who.name));
      const rows = (await listSurplus(services.db, filter, { limit: 500, after: null })).slice(0, 500);
      const keys = await listSurplusKeys(services.db, filter);
      const uses = await readUses(
        services.db,
        joints,
        keys.map(([asset, recipe, variant]) => ({ asset, recipe, variant })),
      );
      const items = await toSurplusAnswers(services, rows, uses);
      const totals = { ...(await countSurplus(services.db, filter)), used: uses.size };
      return { status: 200, body: { plan: { items, totals } } };
    },
  });
}

const PLACES_AT_A_TIME = 1000;

async function readUses(
  db: Database,
  { renditionUses }: SurplusJoints,
  places: readonly RenditionPlace[],
): Promise<Map<string, number>> {
  const uses = new Map<string, number>();
  for (const read of renditionUses)
    for (let at = 0; at < places.length; at += PLACES_AT_A_TIME)
      for (const [key, count] of await read(db, places.slice(at, at + PLACES_AT_A_TIME)))
        uses.set(key, (uses.get(key) ?? 0) + count);
  return uses;
}

function toPlace({ asset_id, recipe, variant }: SurplusRow): RenditionPlace {
  return { asset: asset_id, recipe, variant };
}

async function toSurplusAnswers(
  { db, config: { mediaUrl } }: Pick<Services, 'db' | 'config'>,
  rows: readonly SurplusRow[],
  uses: ReadonlyMap<string, number>,
) {
  const renditions = groupBy(
    await findRenditions(db, [...new Set(rows.map(({ asset_id }) => asset_id))]),
    ({ asset_id }) => asset_id,
  );
  return rows.map((row) => {
    const { folder_path, address_stem, name, variant, mime, recipe, width, height, bytes } = row;
    const addressOf = (one: { recipe: string; variant: string; mime: string | null }) =>
      mediaUrl + renditionAddress(folder_path, address_stem, one.recipe, fileEnd(one));
    const instead = chooseSubstitute(row, renditions.get(row.asset_id) ?? []);
    return {
      asset: { id: String(row.asset_id), name, folder: folder_path },
      recipe,
      variant: variant === '' ? null : variant,
      url: addressOf(row),
      mime,
      width,
      height,
      bytes,
      why: !row.has_recipe ? 'recipe-removed' : variant === '' ? 'does-not-apply' : 'size-removed',
      requests: Number(row.requests ?? 0),
      lastRequestAt: isoTimeOrNull(row.last_at),
      uses: uses.get(placeKey(toPlace(row))) ?? 0,
      leadsTo: instead ? addressOf(instead) : mediaUrl + originalAddress(folder_path, name),
    };
  });
}
