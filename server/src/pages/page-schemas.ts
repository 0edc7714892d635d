import Joi from 'joi';
import { answer, component, idSchema, timeSchema } from '../shared/schemas.js';
import { SOURCE_KINDS } from './source.js';

const count = Joi.number().integer().min(0);

const folderSettings = Joi.object({
  path: Joi.string()
    .max(1000)
    .required()
    .description('absolute, below a folder that UNIFERUM_SOURCE_DIRS names')
    .example('/srv/site'),
  url: Joi.string()
    .uri({ scheme: ['http', 'https'] })
    .max(1000)
    .replace(/\/*$/, '/')
    .allow(null)
    .default(null)
    .description('the address at which the folder is served'),
  writable: Joi.boolean().default(false).description('whether its documents may be rewritten'),
});

/** A source as it is created and changed. */
export const sourceBody = Joi.object({
  kind: Joi.string()
    .valid(...SOURCE_KINDS)
    .default('folder'),
  name: Joi.string().trim().min(1).max(120).required(),
  settings: folderSettings.required(),
}).example({ kind: 'folder', name: 'Guide', settings: { path: '/srv/site/guide', url: null } });

export const sourcePatch = Joi.object({
  name: Joi.string().trim().min(1).max(120),
  settings: folderSettings,
}).min(1);

export const sourceSchema = component(
  'PageSource',
  answer({
    id: idSchema,
    kind: Joi.string().valid(...SOURCE_KINDS),
    name: Joi.string(),
    settings: answer({ path: Joi.string(), url: Joi.string().allow(null), writable: Joi.boolean() }),
    writable: Joi.boolean().description('whether addresses in it can be rewritten'),
    documents: count,
    references: count,
    broken: count,
    indexedAt: timeSchema.allow(null),
  }),
);

export const stepsSchema = answer({
  steps: Joi.array().items(answer({ name: Joi.string(), ok: Joi.boolean(), message: Joi.string() })),
});

export const useSchema = component(
  'Use',
  answer({
    source: idSchema,
    document: Joi.string().description('its path within the source'),
    title: Joi.string().allow(null),
    url: Joi.string().allow(null).description('the address of the document'),
    address: Joi.string().description('as written'),
    attribute: Joi.string().example('img src'),
    recipe: Joi.string().allow(null).description('null for the original'),
    version: count.allow(null).description('null: the current version, whichever that is'),
    offset: count.description('where it stands in the document, in bytes'),
  }),
);

export const REFERENCE_STATES = ['broken', 'found', 'outside'] as const;
export type ReferenceState = (typeof REFERENCE_STATES)[number];

export const referenceSchema = component(
  'PageReference',
  answer({
    id: idSchema,
    source: idSchema,
    document: Joi.string(),
    title: Joi.string().allow(null),
    url: Joi.string().allow(null),
    address: Joi.string(),
    attribute: Joi.string(),
    offset: count,
    asset: idSchema.allow(null),
    recipe: Joi.string().allow(null),
    version: count.allow(null),
    fix: answer({ address: Joi.string(), by: Joi.string().valid('original', 'same-name') })
      .allow(null)
      .description('where it could lead instead: the original, or the only file of that name'),
    reason: Joi.string()
      .valid('unknown', 'in-bin', 'no-recipe')
      .allow(null)
      .description(
        'why it is broken: nothing is or was at the address, the asset is in the bin, there is no such recipe',
      ),
  }),
);
