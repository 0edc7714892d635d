import Joi from 'joi';
import { readCursor, writeCursor } from '../shared/cursor.js';
import { revisionTag } from '../shared/etag.js';
import { API_BASE, type Route, route } from '../shared/route.js';
import { answer, component, folderPathSchema, idSchema, pageOf, pagingSchemas } from '../shared/schemas.js';
import { listFoldersWithin, toFolderAnswers } from './folder-queries.js';
import { changeFolder, type FolderChange, makeFolder, readFolder, removeFolder } from './folders.js';
import type { Joints } from './joints.js';

const folderSchema = component(
  'Folder',
  answer({
    id: idSchema,
    path: Joi.string(),
    name: Joi.string().allow(''),
    colour: Joi.string().allow(null),
    parent: idSchema.allow(null),
    items: Joi.number().integer(),
    bytes: Joi.number().integer(),
    deepItems: Joi.number().integer(),
    deepBytes: Joi.number().integer(),
  }),
);

const params = Joi.object({ id: idSchema.required() });
const colour = Joi.string()
  .pattern(/^#[0-9a-f]{6}$/i)
  .allow(null);

interface Id {
  id: string;
}

/** The routes of folders. */
// biome-ignore lint/complexity/noExcessiveLinesPerFunction: a table of routes, each of which stands on its own
export function folderRoutes(joints: Joints): Route[] {
  return [
    route<object, { within: string; limit: number; cursor?: string }>({
      method: 'get',
      path: `${API_BASE}/folders`,
      access: 'library:read',
      summary: 'List folders by path',
      tokenFolder: ({ query }) => query.within,
      query: Joi.object({
        within: folderPathSchema.default('/').description('this folder and all below it'),
        ...pagingSchemas,
        limit: pagingSchemas.limit.max(5000).default(1000),
      }),
      answers: { 200: { description: 'A page of folders', schema: pageOf(folderSchema) } },
      async handle({ services, query: { within, limit, cursor } }) {
        const all = toFolderAnswers(await listFoldersWithin(services.db, within));
        const after = cursor === undefined ? '' : String(readCursor(cursor, 1)[0]);
        const rest = all.filter(({ path }) => path > after);
        const items = rest.slice(0, limit);
        const last = items.at(-1);
        return {
          status: 200,
          body: {
            items,
            total: all.length,
            next: rest.length > items.length && last ? writeCursor([last.path]) : null,
          },
        };
      },
    }),
    route<object, object, { path: string }>({
      method: 'post',
      path: `${API_BASE}/folders`,
      access: 'library:write',
      summary: 'Create a folder and its missing parents',
      body: Joi.object({ path: folderPathSchema.required() }).example({ path: '/lights/gannet' }),
      answers: { 201: { description: 'The folder', schema: folderSchema } },
      async handle({ services, who, body: { path } }) {
        const folder = await makeFolder(services.db, path, who.name);
        return {
          status: 201,
          body: folder,
          headers: { Location: `${services.config.publicUrl}${API_BASE}/folders/${folder.id}` },
        };
      },
    }),
    route<Id>({
      method: 'get',
      path: `${API_BASE}/folders/{id}`,
      access: 'library:read',
      summary: 'Get a folder',
      params,
      answers: { 200: { description: 'The folder', schema: folderSchema } },
      async handle({ services, params: { id } }) {
        const { folder, revision } = await readFolder(services.db, id);
        return { status: 200, body: folder, headers: { ETag: revisionTag(id, revision) } };
      },
    }),
    route<Id, object, FolderChange>({
      method: 'patch',
      path: `${API_BASE}/folders/{id}`,
      access: 'library:write',
      summary: 'Rename, move or colour a folder; old addresses redirect',
      params,
      body: Joi.object({
        name: Joi.string()
          .trim()
          .min(1)
          .max(180)
          .pattern(/^[^/]+$/),
        parent: folderPathSchema,
        colour,
      })
        .min(1)
        .example({ name: 'gannet-head' }),
      answers: { 200: { description: 'The folder as it is now', schema: folderSchema } },
      async handle({ services, who, params: { id }, body, req }) {
        await changeFolder({ ...services, joints }, id, body, { by: who.name, ifMatch: req.get('if-match') });
        const { folder, revision } = await readFolder(services.db, id);
        return { status: 200, body: folder, headers: { ETag: revisionTag(id, revision) } };
      },
    }),
    route<Id>({
      method: 'delete',
      path: `${API_BASE}/folders/{id}`,
      access: 'library:delete',
      summary: 'Delete an empty folder',
      params,
      answers: { 204: { description: 'The folder is gone' } },
      async handle({ services, who, params: { id }, req }) {
        await removeFolder(services.db, id, { by: who.name, ifMatch: req.get('if-match') });
        return { status: 204 };
      },
    }),
  ];
}
