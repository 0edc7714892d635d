import type { Right } from '@uniferum/core/access';
import Joi from 'joi';
import { newTokenSchema, type TokenFields, tokenFields } from '../access/token-fields.js';
import { makeToken } from '../access/tokens.js';
import { findFolderByPath } from '../library/folder-queries.js';
import { notFound } from '../shared/errors.js';
import { API_BASE, type Route, route } from '../shared/route.js';
import { folderPathSchema } from '../shared/schemas.js';

interface PickerTokenBody extends TokenFields {
  folder: string;
  upload: boolean;
}

const READING: readonly Right[] = ['library:read', 'recipes:read'];

export const pickerRoutes: Route[] = [
  route<object, object, PickerTokenBody>({
    method: 'post',
    path: `${API_BASE}/picker-tokens`,
    access: 'library:read',
    summary: "Create a short-lived token for a picker in another site's page",
    // Answers are stored for idempotent retries, and a secret must never be stored.
    ownIdempotency: true,
    body: Joi.object({
      folder: folderPathSchema.default('/').description('the picker shows this folder and those below'),
      upload: Joi.boolean().default(true).description('false: nothing can be added to the library'),
      ...tokenFields,
    }).example({ folder: '/news', origin: 'https://skerry.example', maxItems: 20, allow: ['image/*'] }),
    answers: {
      201: { description: 'The token', schema: newTokenSchema },
    },
    async handle({ services: { db }, who, body: { upload, expiresIn, ...limits } }) {
      const { folder } = limits;
      if ((await findFolderByPath(db, folder)) === null) throw notFound(`The folder ${folder}`);
      const expiresAt = new Date(Date.now() + expiresIn * 1000).toISOString();
      return {
        status: 201,
        body: await makeToken(db, who, {
          what: 'Picker',
          rights: upload ? [...READING, 'library:write'] : READING,
          scope: { ...limits, expiresAt },
        }),
        headers: { 'Cache-Control': 'no-store' },
      };
    },
  }),
];
