import { type FolderAccessChange, PUBLIC_METADATA, VISIBILITIES } from '@uniferum/core/library';
import Joi from 'joi';
import { API_BASE, type Route, route } from '../shared/route.js';
import { answer, component, idSchema } from '../shared/schemas.js';
import { putAccess, readAccess } from './folder-access.js';

const params = Joi.object({ id: idSchema.required() });
const publicMetadata = Joi.string().valid(...PUBLIC_METADATA);

const visibility = Joi.string().valid(...VISIBILITIES);
const from = Joi.string()
  .allow(null)
  .description('the path of the folder that it comes from; null when no folder says anything');

const answerSchema = component(
  'FolderAccess',
  answer({
    own: answer({ visibility: visibility.allow(null), publicMetadata: publicMetadata.allow(null) }),
    effective: answer({
      visibility: answer({ value: visibility, from }),
      publicMetadata: answer({ value: publicMetadata, from }),
    }),
  }),
);

export const folderAccessRoutes: Route[] = [
  route<{ id: string }>({
    method: 'get',
    path: `${API_BASE}/folders/{id}/access`,
    access: 'library:read',
    summary: 'Get who may read the files of a folder, and which embedded metadata they publish',
    params,
    answers: { 200: { description: 'What is let out', schema: answerSchema } },
    async handle({ services, params: { id } }) {
      const { access, etag } = await readAccess(services.db, id);
      return { status: 200, body: access, headers: { ETag: etag } };
    },
  }),
  route<{ id: string }, object, FolderAccessChange>({
    method: 'put',
    path: `${API_BASE}/folders/{id}/access`,
    access: 'rules:write',
    summary:
      'Set who may read the files of a folder and its subfolders, and which embedded metadata they publish',
    params,
    body: Joi.object({
      visibility: visibility
        .allow(null)
        .description(
          'public: everybody; private: only with a key, a session or a link that expires. Null takes what holds above; left out, it stays',
        ),
      publicMetadata: publicMetadata
        .allow(null)
        .required()
        .description(
          'all: the original as it is; rights: artist, copyright and terms; none. Null takes what holds above',
        ),
    }).example({ visibility: 'private', publicMetadata: 'rights' }),
    answers: { 200: { description: 'What is let out now', schema: answerSchema } },
    async handle({ services, who, params: { id }, body, req }) {
      await putAccess(services.db, id, body, { by: who.name, ifMatch: req.get('if-match') });
      const { access, etag } = await readAccess(services.db, id);
      return { status: 200, body: access, headers: { ETag: etag } };
    },
  }),
];
