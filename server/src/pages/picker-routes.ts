import type { Right } from '@uniferum/core/access';
import { isTypePattern } from '@uniferum/core/rules';
import Joi from 'joi';
import { makeToken, TOKEN_SECONDS } from '../access/tokens.js';
import { findFolderByPath } from '../library/folder-queries.js';
import { notFound } from '../shared/errors.js';
import { API_BASE, type Route, route } from '../shared/route.js';
import { answer, folderPathSchema, timeSchema } from '../shared/schemas.js';

interface PickerTokenBody {
  folder: string;
  origin: string | null;
  upload: boolean;
  maxBytes: number | null;
  maxItems: number | null;
  allow: string[];
  expiresIn: number;
}

const limit = Joi.number().integer().min(1).max(Number.MAX_SAFE_INTEGER).allow(null).default(null);

const originSchema = Joi.string()
  .max(300)
  .custom((value: string, helpers) =>
    URL.canParse(value) && /^https?:/.test(value) && new URL(value).origin === value
      ? value
      : helpers.message({ custom: '{{#label}} must be an origin, such as https://skerry.example' }),
  )
  .allow(null)
  .default(null)
  .description('the origin of the page with the picker; no other page can then use the token in one');

const READING: readonly Right[] = ['library:read', 'recipes:read'];

export const pickerRoutes: Route[] = [
  route<object, object, PickerTokenBody>({
    method: 'post',
    path: `${API_BASE}/picker-tokens`,
    access: 'library:read',
    summary: 'Create a short-lived token for a picker in another site’s page',
    // Answers are stored for idempotent retries, and a secret must never be stored.
    ownIdempotency: true,
    body: Joi.object({
      folder: folderPathSchema.default('/').description('the picker shows this folder and those below'),
      origin: originSchema,
      upload: Joi.boolean().default(true).description('false: nothing can be added to the library'),
      maxBytes: limit.description('the maximum size of an uploaded file'),
      maxItems: limit
        .max(1_000_000)
        .description('how many files can be uploaded with the token; null for any number'),
      allow: Joi.array()
        .items(
          Joi.string()
            .max(100)
            .lowercase()
            .custom((value: string, helpers) =>
              isTypePattern(value)
                ? value
                : helpers.message({ custom: '{{#label}} must be an extension or a media type' }),
            ),
        )
        .max(100)
        .default([])
        .description('what can be uploaded: extensions, media types and wildcards; empty for all'),
      expiresIn: Joi.number()
        .integer()
        .min(TOKEN_SECONDS.least)
        .max(TOKEN_SECONDS.most)
        .default(TOKEN_SECONDS.usual)
        .description('seconds'),
    }).example({ folder: '/news', origin: 'https://skerry.example', maxItems: 20, allow: ['image/*'] }),
    answers: {
      201: {
        description: 'The token',
        schema: answer({ token: Joi.string().description('shown this once'), expiresAt: timeSchema }),
      },
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
