import Joi from 'joi';
import { answer, idSchema, timeSchema } from '../../shared/schemas.js';

const count = Joi.number().integer().min(0);
const name = Joi.string().trim().min(1).max(40);
const path = Joi.string()
  .trim()
  .min(1)
  .max(1000)
  .description('a folder of this server, below one of UNIFERUM_SOURCE_DIRS');
const url = Joi.string()
  .uri({ scheme: ['http', 'https'] })
  .max(500)
  .custom((value: string) => {
    const { origin, pathname } = new URL(value);
    return `${origin}${pathname.replace(/\/*$/, '/')}`;
  })
  .description('where the site serves that folder');
const rewritePages = Joi.boolean().description(
  'whether pages of writable sources are given the addresses in the store',
);

export const siteFolderSchema = answer({
  id: idSchema,
  name,
  folder: Joi.string(),
  url: Joi.string().uri(),
  store: Joi.string(),
  rewritePages: Joi.boolean(),
  release: Joi.string().allow(null),
  releaseUrl: Joi.string().uri().allow(null).description('the base address of its files in the store'),
  files: count,
  bytes: count,
  placedAt: timeSchema.allow(null),
});

export const siteFileSchema = answer({
  path: Joi.string(),
  url: Joi.string().uri(),
  mime: Joi.string(),
  bytes: count,
  sha256: Joi.string(),
  integrity: Joi.string().description('for the attribute of that name'),
});

export const releasePlanSchema = answer({
  plan: answer({
    release: Joi.string(),
    items: Joi.array().items(
      answer({
        path: Joi.string(),
        bytes: count,
        change: Joi.string().valid('new', 'changed', 'same', 'removed'),
        edits: count.description('references of a style sheet that are rewritten'),
        missing: Joi.array().items(Joi.string()).description('what it refers to and is not there'),
      }),
    ),
    totals: answer({
      files: count,
      bytes: count,
      changed: count,
      edits: count,
      missing: count,
      others: count,
    }),
  }),
});

export const siteFolderBody = Joi.object({
  name: name.required(),
  folder: path.required(),
  url: url.required(),
  store: Joi.string().trim().min(1).max(40).required(),
  rewritePages: rewritePages.default(false),
}).example({
  ...{ name: 'Look', folder: '/srv/skerry/assets', url: 'https://skerry.example/assets/' },
  store: 'offsite',
});

export const siteFolderPatch = Joi.object({ name, folder: path, url, rewritePages })
  .min(1)
  .example({ rewritePages: true });
