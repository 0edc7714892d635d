import { isTypePattern } from '@uniferum/core/rules';
import Joi from 'joi';
import { answer, timeSchema } from '../shared/schemas.js';
import { TOKEN_SECONDS } from './tokens.js';

/** An origin (RFC 6454) of web pages. */
export const originSchema = Joi.string()
  .max(300)
  .custom((value: string, helpers) =>
    URL.canParse(value) && /^https?:/.test(value) && new URL(value).origin === value
      ? value
      : helpers.message({ custom: '{{#label}} must be an origin, such as https://skerry.example' }),
  );

const limit = Joi.number().integer().min(1).max(Number.MAX_SAFE_INTEGER).allow(null).default(null);

/** What every kind of token can be limited to, besides a folder. */
export const tokenFields = {
  origin: originSchema
    .allow(null)
    .default(null)
    .description('the origin of the page that may use the token; null for any'),
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
};

/** The values of {@link tokenFields}. */
export interface TokenFields {
  origin: string | null;
  maxBytes: number | null;
  maxItems: number | null;
  allow: string[];
  expiresIn: number;
}

export const newTokenSchema = answer({
  token: Joi.string().description('shown this once'),
  expiresAt: timeSchema,
});
