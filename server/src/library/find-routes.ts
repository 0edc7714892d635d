import { groupPairs } from '@uniferum/core';
import Joi from 'joi';
import { notFound } from '../shared/errors.js';
import { API_BASE, type Route, route } from '../shared/route.js';
import { answer, folderPathSchema, idSchema, pageOf, timeSchema } from '../shared/schemas.js';
import { toAssetAnswers } from './asset-answers.js';
import { findAssets } from './asset-queries.js';
import { assetSchema, filterSchema } from './asset-schemas.js';
import { readFacets } from './facet-queries.js';
import { readySearch, type Search } from './find-pages.js';
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

export const findRoutes: Route[] = [
  route<object, Search>({
    method: 'get',
    path: `${API_BASE}/assets/facets`,
    access: 'library:read',
    summary: 'What a search finds, counted by kind, type, keyword, credit and month of capture',
    query: Joi.object({
      q: filterSchema,
      folder: folderPathSchema.default('/'),
      deep: Joi.boolean().default(true),
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
    handle: async ({ app, query }) => ({ status: 200, body: await readFacets(app.db, query) }),
  }),
  route<object, { by: 'bytes' | 'look'; distance: number }>({
    method: 'get',
    path: `${API_BASE}/assets/duplicates`,
    access: 'library:read',
    summary: 'Groups of assets with the same bytes, or of pictures that look alike',
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
    async handle({ app, query: { by, distance } }) {
      const groups =
        by === 'bytes'
          ? await listDuplicateGroups(app.db, MAX_GROUPS)
          : groupPairs(await listSimilarPairs(app.db, distance, MAX_PAIRS)).slice(0, MAX_GROUPS);
      const ids = groups.flat().map(Number);
      const assets = await toAssetAnswers(app.db, await findAssets(app.db, ids), app.config.publicUrl);
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
    summary: 'The saved filters, by name',
    answers: { 200: { description: 'All of them', schema: pageOf(savedSchema) } },
    async handle({ app }) {
      const items = await listSaved(app.db);
      return { status: 200, body: { items, total: items.length, next: null } };
    },
  }),
  route<object, object, { name: string; q: string }>({
    method: 'post',
    path: `${API_BASE}/filters`,
    access: 'library:write',
    summary: 'Save a filter under a name',
    body: Joi.object({
      name: Joi.string().trim().min(1).max(100).required(),
      q: filterSchema.min(1).required(),
    }).example({
      name: 'Without alternative text',
      q: 'kind:image alt:none',
    }),
    answers: { 201: { description: 'The saved filter', schema: savedSchema } },
    async handle({ app, who, body: { name, q } }) {
      await readySearch(app.db, { q, folder: '/', deep: true });
      const id = await insertSaved(app.db, name, q, who.name);
      return { status: 201, body: (await listSaved(app.db, id))[0] };
    },
  }),
  route<{ id: string }>({
    method: 'delete',
    path: `${API_BASE}/filters/{id}`,
    access: 'library:write',
    summary: 'Forget a saved filter',
    params: Joi.object({ id: idSchema.required() }),
    answers: { 204: { description: 'It is forgotten' } },
    async handle({ app, params: { id } }) {
      if (!(await deleteSaved(app.db, id))) throw notFound(`The saved filter ${id}`);
      return { status: 204 };
    },
  }),
];
