import Joi from 'joi';
import { inTransaction } from '../shared/database.js';
import { notFound, UniferumError } from '../shared/errors.js';
import { API_BASE, type Route, route } from '../shared/route.js';
import { pageOf } from '../shared/schemas.js';
import {
  countPagesOfType,
  deletePageType,
  findPageType,
  listPageTypes,
  putPageType,
} from './page-type-queries.js';
import type { PageType } from './site-page.js';
import { pageTypeBody, pageTypeSchema } from './site-page-schemas.js';

function toAnswer({ name, title, slots, regions }: PageType) {
  return { name, title, slots, regions };
}

/** The types of pages, with their slots and regions. */
export const pageTypeRoutes: Route[] = [
  route({
    method: 'get',
    path: `${API_BASE}/page-types`,
    access: 'pages:read',
    summary: 'List the types of pages',
    answers: { 200: { description: 'All types', schema: pageOf(pageTypeSchema) } },
    async handle({ services: { db } }) {
      const items = (await listPageTypes(db)).map(toAnswer);
      return { status: 200, body: { items, total: items.length, next: null } };
    },
  }),
  route<object, object, Omit<PageType, 'revision'>>({
    method: 'post',
    path: `${API_BASE}/page-types`,
    access: 'pages:write',
    summary: 'Create a type of pages, or replace it; pages keep what they have',
    body: pageTypeBody,
    answers: { 200: { description: 'The type', schema: pageTypeSchema } },
    async handle({ services: { db }, body }) {
      await inTransaction(db, (tx) => putPageType(tx, body));
      const type = await findPageType(db, body.name);
      if (type === null) throw notFound(`The page type ${body.name}`);
      return { status: 200, body: toAnswer(type) };
    },
  }),
  route<{ name: string }>({
    method: 'delete',
    path: `${API_BASE}/page-types/{name}`,
    access: 'pages:write',
    summary: 'Delete a type of pages that has no pages',
    params: Joi.object({ name: Joi.string().max(60).required() }),
    answers: { 204: { description: 'It is deleted' } },
    async handle({ services: { db }, params: { name } }) {
      await inTransaction(db, async (tx) => {
        if ((await findPageType(tx, name)) === null) throw notFound(`The page type ${name}`);
        const pages = await countPagesOfType(tx, name);
        if (pages > 0)
          throw new UniferumError(
            'conflict',
            `${pages} pages are of the type "${name}". Change their type first.`,
          );
        await deletePageType(tx, name);
      });
      return { status: 204 };
    },
  }),
];
