import { groupPairs } from '@uniferum/core/library';
import Joi from 'joi';
import { notFound } from '../shared/errors.js';
import { API_BASE, type Route, route } from '../shared/route.js';
import { answer, idSchema, pageOf, timeSchema } from '../shared/schemas.js';
import { toAssetAnswers } from './asset-answers.js';
import { findAssets } from './asset-queries.js';
import { assetSchemaOf, filterSchema, searchSchemas } from './asset-schemas.js';
import { readFacets } from './facet-queries.js';
import { resolveSearch, type Search } from './find-pages.js';
import type { Joints } from './joints.js';
import { deleteSaved, insertSaved, listSaved } from './saved-queries.js';
import { listDuplicateGroups, listSimilarPairs, MAX_KEPT_DISTANCE } from './similar-queries.js';

const count = Joi.number().integer().min(0);
const facetList = Joi.array().items(answer({ name: Joi.string(), items: count }));

const savedSchema = answer({
  id: idSchema,
  name: Joi.string(),
  q: Joi.string(),
  by: Joi.string(),
  createdAt: timeSchema,
});

const MAX_GROUPS = 100;
const MAX_PAIRS = 2000;

/** The routes of searching. */
// biome-ignore lint/complexity/noExcessiveLinesPerFunction: a table of routes, each of which stands on its own
export function findRoutes(joints: Joints): Route[] {
  const assetSchema = assetSchemaOf(joints);
  return [
    route<object, Search>({
      method: 'get',
      path: `${API_BASE}/assets/facets`,
      access: 'library:read',
      summary: 'Count search results by kind, type, keyword, credit and month of capture',
      query: Joi.object({
        ...searchSchemas,
      }),
      answers: {
        200: {
          description: 'The counts, the most frequent first; months in their order',
          schema: answer({
            kinds: facetList,
            types: facetList,
            keywords: facetList,
            credits: facetList,
            captured: facetList,
          }),
        },
      },
      handle: async ({ services, query }) => ({
        status: 200,
        body: await readFacets({ ...services, joints }, query),
      }),
    }),
    route<object, { by: 'bytes' | 'look'; distance: number }>({
      method: 'get',
      path: `${API_BASE}/assets/duplicates`,
      access: 'library:read',
      summary: 'List groups of exact duplicates or similar pictures',
      query: Joi.object({
        by: Joi.string().valid('bytes', 'look').default('bytes'),
        distance: Joi.number()
          .integer()
          .min(0)
          .max(MAX_KEPT_DISTANCE)
          .default(6)
          .description('differing bits of 64'),
      }),
      answers: {
        200: {
          description: 'Up to 100 groups, the oldest of each first',
          schema: answer({ groups: Joi.array().items(Joi.array().items(assetSchema)) }),
        },
      },
      async handle({ services, query: { by, distance } }) {
        const groups =
          by === 'bytes'
            ? await listDuplicateGroups(services.db, MAX_GROUPS)
            : groupPairs(await listSimilarPairs(services.db, distance, MAX_PAIRS)).slice(0, MAX_GROUPS);
        const ids = groups.flat().map(Number);
        const assets = await toAssetAnswers({ ...services, joints }, await findAssets(services.db, ids));
        const byId = new Map(assets.map((asset) => [asset.id, asset]));
        return {
          status: 200,
          body: {
            groups: groups.map((group) =>
              group
                .sort((a, b) => Number(a) - Number(b))
                .map((id) => byId.get(id))
                .filter((asset) => asset !== undefined),
            ),
          },
        };
      },
    }),
    route({
      method: 'get',
      path: `${API_BASE}/filters`,
      access: 'library:read',
      summary: 'List saved filters by name',
      answers: { 200: { description: 'All of them', schema: pageOf(savedSchema) } },
      async handle({ services }) {
        const items = await listSaved(services.db);
        return { status: 200, body: { items, total: items.length, next: null } };
      },
    }),
    route<object, object, { name: string; q: string }>({
      method: 'post',
      path: `${API_BASE}/filters`,
      access: 'library:write',
      summary: 'Save a filter',
      body: Joi.object({
        name: Joi.string().trim().min(1).max(100).required(),
        q: filterSchema.min(1).required(),
      }).example({
        name: 'Without alternative text',
        q: 'kind:image alt:none',
      }),
      answers: { 201: { description: 'The saved filter', schema: savedSchema } },
      async handle({ services, who, body: { name, q } }) {
        await resolveSearch({ ...services, joints }, { q, folder: '/', deep: true });
        const id = await insertSaved(services.db, name, q, who.name);
        return { status: 201, body: (await listSaved(services.db, id))[0] };
      },
    }),
    route<{ id: string }>({
      method: 'delete',
      path: `${API_BASE}/filters/{id}`,
      access: 'library:write',
      summary: 'Delete a saved filter',
      params: Joi.object({ id: idSchema.required() }),
      answers: { 204: { description: 'The filter was deleted' } },
      async handle({ services, params: { id } }) {
        if (!(await deleteSaved(services.db, id))) throw notFound(`The saved filter ${id}`);
        return { status: 204 };
      },
    }),
  ];
}
