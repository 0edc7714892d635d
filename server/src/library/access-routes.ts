import { type FolderAccess, PUBLIC_METADATA } from '@uniferum/core/library';
import Joi from 'joi';
import { API_BASE, type Route, route } from '../shared/route.js';
import { answer, component, idSchema } from '../shared/schemas.js';
import { putAccess, readAccess } from './folder-access.js';

const params = Joi.object({ id: idSchema.required() });
const publicMetadata = Joi.string().valid(...PUBLIC_METADATA);

const answerSchema = component(
  'FolderAccess',
  answer({
    own: answer({ publicMetadata: publicMetadata.allow(null) }),
    effective: answer({
      publicMetadata: answer({
        value: publicMetadata,
        from: Joi.string()
          .allow(null)
          .description('the path of the folder that it comes from; null when no folder says anything'),
      }),
    }),
  }),
);

export const folderAccessRoutes: Route[] = [
  route<{ id: string }>({
    method: 'get',
    path: `${API_BASE}/folders/{id}/access`,
    access: 'library:read',
    summary: 'Get what a folder publishes',
    params,
    answers: { 200: { description: 'What is let out', schema: answerSchema } },
    async handle({ services, params: { id } }) {
      const { access, etag } = await readAccess(services.db, id);
      return { status: 200, body: access, headers: { ETag: etag } };
    },
  }),
  route<{ id: string }, object, FolderAccess>({
    method: 'put',
    path: `${API_BASE}/folders/{id}/access`,
    access: 'rules:write',
    summary: 'Set which embedded metadata the public originals of a folder and its subfolders contain',
    params,
    body: Joi.object({
      publicMetadata: publicMetadata
        .allow(null)
        .required()
        .description(
          'all: the original as it is; rights: artist, copyright and terms; none. Null takes what holds above',
        ),
    }).example({ publicMetadata: 'rights' }),
    answers: { 200: { description: 'What is let out now', schema: answerSchema } },
    async handle({ services, who, params: { id }, body, req }) {
      await putAccess(services.db, id, body, { by: who.name, ifMatch: req.get('if-match') });
      const { access, etag } = await readAccess(services.db, id);
      return { status: 200, body: access, headers: { ETag: etag } };
    },
  }),
];
