import Joi from 'joi';
import { findAsset } from '../library/asset-queries.js';
import { cutPage, readCursor } from '../shared/cursor.js';
import { notFound } from '../shared/errors.js';
import { API_BASE, type Route, route } from '../shared/route.js';
import { idSchema, pageOf, pagingSchemas } from '../shared/schemas.js';
import { type ProposedFix, proposeFixes } from './fixes.js';
import { REFERENCE_STATES, type ReferenceState, referenceSchema, useSchema } from './page-schemas.js';
import {
  countReferences,
  listReferences,
  listUses,
  type ReferenceRow,
  readUses,
} from './reference-queries.js';

interface Paging {
  limit: number;
  cursor?: string;
}

const afterOf = (cursor: string | undefined) => (cursor === undefined ? 0 : Number(readCursor(cursor, 1)[0]));

function toUse({ source_id, path, title, url, address, attribute, recipe, position }: ReferenceRow) {
  return {
    source: String(source_id),
    document: path,
    title,
    url,
    address,
    attribute,
    recipe,
    version: null,
    offset: position,
  };
}

function toReference(row: ReferenceRow, fix: ProposedFix | null) {
  return {
    id: String(row.id),
    ...toUse(row),
    asset: row.asset_id === null ? null : String(row.asset_id),
    reason: row.reason,
    detail: row.detail,
    fix,
  };
}

export const useRoutes: Route[] = [
  route<{ id: string }, Paging>({
    method: 'get',
    path: `${API_BASE}/assets/{id}/uses`,
    access: 'pages:read',
    summary: 'List the places on pages where an asset is used',
    params: Joi.object({ id: idSchema.required() }),
    query: Joi.object(pagingSchemas),
    answers: { 200: { description: 'A page of uses', schema: pageOf(useSchema) } },
    async handle({ services: { db }, params: { id }, query: { limit, cursor } }) {
      const asset = await findAsset(db, id);
      if (asset === null) throw notFound(`Asset ${id}`);
      const rows = await listUses(db, id, { after: afterOf(cursor), limit });
      const page = cutPage(rows, limit, (row) => [row.id]);
      const total = (await readUses(db, [asset.id])).get(asset.id) ?? 0;
      return { status: 200, body: { items: page.rows.map(toUse), total, next: page.next } };
    },
  }),
  route<object, Paging & { state: ReferenceState; source?: string }>({
    method: 'get',
    path: `${API_BASE}/references`,
    access: 'pages:read',
    summary: 'List the references of all pages in a state, such as the broken ones',
    query: Joi.object({
      ...pagingSchemas,
      state: Joi.string()
        .valid(...REFERENCE_STATES)
        .default('broken'),
      source: idSchema,
    }),
    answers: { 200: { description: 'A page of references', schema: pageOf(referenceSchema) } },
    async handle({ services: { db, config }, query: { limit, cursor, state, source = null } }) {
      const rows = await listReferences(db, { state, source, after: afterOf(cursor), limit });
      const page = cutPage(rows, limit, (row) => [row.id]);
      const total = await countReferences(db, { state, source });
      const fixes = await proposeFixes(db, config, page.rows);
      const items = page.rows.map((row) => toReference(row, fixes.get(row.id) ?? null));
      return { status: 200, body: { items, total, next: page.next } };
    },
  }),
];
