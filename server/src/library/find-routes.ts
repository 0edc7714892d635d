import { groupPairs } from '@uniferum/core';
import Joi from 'joi';
import {
  change,
  type Executor,
  isDatabaseError,
  isoTime,
  select,
  selectExpanded,
} from '../shared/database.js';
import { notFound, UniferumError } from '../shared/errors.js';
import { API_BASE, type Route, route } from '../shared/route.js';
import { answer, folderPathSchema, idSchema, pageOf, timeSchema } from '../shared/schemas.js';
import { toAssetAnswers } from './asset-answers.js';
import { findAssets } from './asset-queries.js';
import { assetSchema, filterSchema } from './asset-schemas.js';
import { filterToSql, joinConditions } from './filter-sql.js';
import { readySearch, type Search } from './find.js';
import { listDuplicateGroups, listSimilarPairs, MAX_KEPT_DISTANCE } from './similar-queries.js';

const count = Joi.number().integer().min(0);
const facetList = Joi.array().items(answer({ name: Joi.string(), items: count }));

const SHOWN_WORDS = 40;

interface FacetRow {
  name: string;
  items: number;
}

/** The most frequent values of a kept count. */
async function topFacets(db: Executor, scope: string, limit: number): Promise<FacetRow[]> {
  const rows = await select<FacetRow>(
    db,
    'SELECT name, items FROM facets WHERE scope = ? AND items > 0 ORDER BY items DESC, name LIMIT ?',
    [scope, limit],
  );
  return rows.map(({ name, items }) => ({ name, items: Number(items) }));
}

async function months(db: Executor): Promise<FacetRow[]> {
  const rows = await select<FacetRow>(
    db,
    `SELECT DATE_FORMAT(DATE'1970-01-01' + INTERVAL num DAY, '%Y-%m') AS name, SUM(items) AS items
     FROM facets WHERE scope = 'captured' AND items > 0 GROUP BY 1 ORDER BY 1 LIMIT 5000`,
  );
  return rows.map(({ name, items }) => ({ name, items: Number(items) }));
}

/** Counts what a search finds by a few properties; of the whole library from the kept counts. */
async function readFacets(db: Executor, search: Search) {
  const ready = await readySearch(db, search);
  if (ready.parts.length === 0)
    return {
      kinds: await topFacets(db, 'kind', 20),
      types: await topFacets(db, 'mime', SHOWN_WORDS),
      keywords: await topFacets(db, 'keyword', SHOWN_WORDS),
      credits: await topFacets(db, 'credit', SHOWN_WORDS),
      captured: await months(db),
    };
  const { sql, values } = joinConditions(
    'and',
    ready.parts.map((part) => filterToSql(part, ready.lookups)),
  );
  const group = async (
    expression: string,
    from = 'assets',
    order = 'items DESC, name',
    limit = SHOWN_WORDS,
  ) => {
    const rows = await selectExpanded<FacetRow>(
      db,
      `SELECT ${expression} AS name, COUNT(*) AS items FROM ${from}
       WHERE assets.live = 1 AND ${sql} AND ${expression} IS NOT NULL
       GROUP BY 1 ORDER BY ${order} LIMIT ${limit}`,
      values,
    );
    return rows.map(({ name, items }) => ({ name, items: Number(items) }));
  };
  const [kinds, types, keywords, credits, captured] = await Promise.all([
    group('assets.kind'),
    group('assets.mime'),
    group('asset_keywords.keyword', 'assets JOIN asset_keywords ON asset_keywords.asset_id = assets.id'),
    group('assets.credit'),
    group("DATE_FORMAT(assets.captured_at, '%Y-%m')", 'assets', 'name', 5000),
  ]);
  return { kinds, types, keywords, credits, captured };
}

interface SavedRow {
  id: number;
  name: string;
  q: string;
  made_by: string;
  created_at: Date;
}

const savedSchema = answer({
  id: idSchema,
  name: Joi.string(),
  q: Joi.string(),
  by: Joi.string(),
  createdAt: timeSchema,
});

function toSaved({ id, name, q, made_by, created_at }: SavedRow) {
  return { id: String(id), name, q, by: made_by, createdAt: isoTime(created_at) };
}

async function listSaved(db: Executor, id: string | null = null): Promise<ReturnType<typeof toSaved>[]> {
  const rows = await select<SavedRow>(
    db,
    `SELECT id, name, q, made_by, created_at FROM saved_filters ${id === null ? '' : 'WHERE id = ?'} ORDER BY name LIMIT 1000`,
    id === null ? [] : [id],
  );
  return rows.map(toSaved);
}

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
      try {
        const { insertId } = await change(
          app.db,
          'INSERT INTO saved_filters (name, q, made_by) VALUES (?, ?, ?)',
          [name, q, who.name],
        );
        return { status: 201, body: (await listSaved(app.db, String(insertId)))[0] };
      } catch (error) {
        if (isDatabaseError(error, 'ER_DUP_ENTRY'))
          throw new UniferumError(
            'conflict',
            `There is a saved filter "${name}" already. Choose another name.`,
          );
        throw error;
      }
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
      const { affectedRows } = await change(app.db, 'DELETE FROM saved_filters WHERE id = ?', [id]);
      if (affectedRows === 0) throw notFound(`The saved filter ${id}`);
      return { status: 204 };
    },
  }),
];
