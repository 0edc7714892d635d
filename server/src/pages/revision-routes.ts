import Joi from 'joi';
import { cutPage, readCursor } from '../shared/cursor.js';
import { notFound } from '../shared/errors.js';
import { API_BASE, type Route, route } from '../shared/route.js';
import { answer, idSchema, pageOf, pagingSchemas } from '../shared/schemas.js';
import {
  countRevisions,
  findRevision,
  forgetEditor,
  listRevisions,
  noteEditor,
  type RevisionSummary,
} from './page-revision-queries.js';
import { resolvePage } from './resolve-page.js';
import { requirePage, restoreRevision } from './save-page.js';
import { idParams, readPageAnswer, type ToolsFor } from './site-page-routes.js';
import { pageSchema, revisionSchema } from './site-page-schemas.js';

interface Id {
  id: string;
}
const revisionParams = Joi.object({
  id: idSchema.required(),
  revision: Joi.number().integer().min(1).required(),
});

function toAnswer({ revision, title, isAutosaved, savedBy, savedAt }: RevisionSummary) {
  return { revision, title, autosaved: isAutosaved, savedBy, savedAt: savedAt.toISOString() };
}

/** The states that a page had, and who edits it now. */
export const revisionRoutes = (tools: ToolsFor): Route[] => [
  route<Id, { limit: number; cursor?: string }>({
    method: 'get',
    path: `${API_BASE}/pages/{id}/revisions`,
    access: 'pages:read',
    summary: 'List the revisions of a page, newest first',
    params: idParams,
    query: Joi.object(pagingSchemas),
    answers: { 200: { description: 'Revisions without their content', schema: pageOf(revisionSchema) } },
    async handle({ services: { db }, params: { id }, query: { limit, cursor } }) {
      await requirePage({ db }, id);
      const before = cursor === undefined ? null : Number(readCursor(cursor, 1)[0]);
      const page = cutPage(await listRevisions(db, id, { before, limit }), limit, ({ revision }) => [
        revision,
      ]);
      const total = await countRevisions(db, id);
      return { status: 200, body: { items: page.rows.map(toAnswer), total, next: page.next } };
    },
  }),
  route<Id & { revision: number }>({
    method: 'get',
    path: `${API_BASE}/pages/{id}/revisions/{revision}`,
    access: 'pages:read',
    summary: 'Get a revision of a page, as it would be shown today',
    params: revisionParams,
    answers: {
      200: {
        description: 'The revision',
        schema: revisionSchema.keys({
          body: Joi.string().allow('').required(),
          html: Joi.string().allow('').required(),
        }),
      },
    },
    async handle({ services, params: { id, revision } }) {
      const found = await findRevision(services.db, id, revision);
      if (found === null) throw notFound(`Revision ${revision} of page ${id}`);
      const { html } = await resolvePage(tools(services), found);
      return { status: 200, body: { ...toAnswer(found), body: found.body, html } };
    },
  }),
  route<Id & { revision: number }>({
    method: 'post',
    path: `${API_BASE}/pages/{id}/revisions/{revision}/restore`,
    access: 'pages:write',
    summary: 'Make an earlier revision the current one, as a new revision',
    params: revisionParams,
    answers: { 200: { description: 'The page as it is now', schema: pageSchema } },
    async handle({ services, who, params: { id, revision }, req }) {
      await restoreRevision(tools(services), id, revision, { who, ifMatch: req.get('if-match') });
      return { status: 200, ...(await readPageAnswer(tools(services), id)) };
    },
  }),
];

export const editingRoute: Route = route<Id, object, { editing: boolean }>({
  method: 'put',
  path: `${API_BASE}/pages/{id}/editing`,
  access: 'pages:write',
  summary: 'Say that you edit a page, at least every 30 seconds, and hear who else does',
  params: idParams,
  body: Joi.object({ editing: Joi.boolean().required() }).example({ editing: true }),
  answers: {
    200: {
      description: 'The names of the others',
      schema: answer({ others: Joi.array().items(Joi.string()) }),
    },
  },
  async handle({ services: { db }, who, params: { id }, body: { editing } }) {
    await requirePage({ db }, id);
    if (!editing) {
      await forgetEditor(db, id, who.name);
      return { status: 200, body: { others: [] } };
    }
    return { status: 200, body: { others: await noteEditor(db, id, who.name) } };
  },
});
