import Joi from 'joi';
import { newTokenSchema, type TokenFields, tokenFields } from '../access/token-fields.js';
import { makeToken } from '../access/tokens.js';
import { findFolderByPath } from '../library/folder-queries.js';
import { notFound } from '../shared/errors.js';
import { API_BASE, route } from '../shared/route.js';
import { folderPathSchema } from '../shared/schemas.js';

/** Lets a web page upload straight to Uniferum, without a key in it. */
export const uploadTokenRoute = route<object, object, TokenFields & { folder: string }>({
  method: 'post',
  path: `${API_BASE}/upload-tokens`,
  access: 'library:write',
  summary: 'Create a short-lived token with which a web page uploads files',
  // Answers are stored for idempotent retries, and a secret must never be stored.
  ownIdempotency: true,
  body: Joi.object({
    folder: folderPathSchema.required().description('files go into this folder, or into those below'),
    ...tokenFields,
  }).example({
    ...{ folder: '/letters', origin: 'https://skerry.example' },
    ...{ maxItems: 5, maxBytes: 10_000_000, allow: ['image/*'], expiresIn: 600 },
  }),
  answers: { 201: { description: 'The token', schema: newTokenSchema } },
  async handle({ services: { db }, who, body: { expiresIn, ...limits } }) {
    if ((await findFolderByPath(db, limits.folder)) === null) throw notFound(`The folder ${limits.folder}`);
    const expiresAt = new Date(Date.now() + expiresIn * 1000).toISOString();
    return {
      status: 201,
      body: await makeToken(db, who, {
        ...{ what: 'Upload', rights: ['library:write'] },
        scope: { ...limits, expiresAt },
      }),
      headers: { 'Cache-Control': 'no-store' },
    };
  },
});
