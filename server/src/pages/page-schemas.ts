import { BROKEN_REASONS, DOCUMENT_FORMATS, SOURCE_KINDS, type SourceKind } from '@uniferum/core/pages';
import Joi from 'joi';
import { answer, component, idSchema, timeSchema } from '../shared/schemas.js';

const count = Joi.number().integer().min(0);

const watched = Joi.boolean().default(false).description('whether it is looked through for changes');

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
  watched,
});

const identifier = Joi.string().max(64);

const databaseSettings = Joi.object({
  host: Joi.string().hostname().max(255).required().description('a name or an address'),
  port: Joi.number().port().default(3306),
  user: Joi.string().max(128).required(),
  database: identifier.required(),
  table: identifier.required(),
  key: identifier.required().description('a column whose values are unique'),
  columns: Joi.array()
    .items(
      Joi.object({
        name: identifier.required(),
        format: Joi.string()
          .valid(...DOCUMENT_FORMATS)
          .default('html'),
      }),
    )
    .unique('name')
    .min(1)
    .max(20)
    .required()
    .description('columns of text in which addresses are found'),
  titleColumn: identifier.allow(null).default(null),
  url: Joi.string()
    .pattern(/^https?:\/\/[^/{}]+(?:\/|$)/i, 'complete address')
    .max(1000)
    .allow(null)
    .default(null)
    .description('the address of a page, with `{key}` or the name of a column in braces'),
  writable: Joi.boolean().default(false).description('whether its values may be rewritten'),
  watched,
});

const siteSettings = Joi.object({
  url: Joi.string()
    .uri({ scheme: ['http', 'https'] })
    .max(1000)
    .required()
    .description('the first page; pages on its host and below its folder belong to the site'),
  depth: Joi.number().integer().min(0).max(100).default(10).description('the most links to follow'),
  maxPages: Joi.number().integer().min(1).max(100_000).default(2000),
  perSecond: Joi.number().min(0.1).max(50).default(2).description('the most requests per second'),
  checked: Joi.boolean()
    .default(true)
    .description('whether everything that pages refer to is asked for, to find what is missing'),
});

const pagesSettings = Joi.object({ writable: Joi.boolean().default(true) });

const SETTINGS = {
  pages: pagesSettings,
  folder: folderSettings,
  database: databaseSettings,
  site: siteSettings,
};

const name = Joi.string().trim().min(1).max(120);
const secret = Joi.string()
  .max(500)
  .allow('', null)
  .description('the password of a database; it is stored encrypted and never shown');

/** A source as it is created. */
export const sourceBody = Joi.object({
  kind: Joi.string()
    .valid(...SOURCE_KINDS.filter((kind) => kind !== 'pages'))
    .default('folder'),
  name: name.required(),
  settings: Joi.alternatives()
    .conditional('kind', {
      switch: [
        // biome-ignore lint/suspicious/noThenProperty: the name is Joi's
        { is: 'database', then: databaseSettings.required() },
        // biome-ignore lint/suspicious/noThenProperty: the name is Joi's
        { is: 'site', then: siteSettings.required() },
      ],
      otherwise: folderSettings.required(),
    })
    .required(),
  secret,
}).example({ kind: 'folder', name: 'Guide', settings: { path: '/srv/site/guide', url: null } });

export const sourcePatch = Joi.object({
  name,
  settings: Joi.object().unknown().description('those of the kind of the source, complete'),
  secret,
})
  .min(1)
  .example({ name: 'Guide of the site' });

/** Settings of a source whose kind is known. */
export function settingsSchema(kind: SourceKind): Joi.ObjectSchema {
  return SETTINGS[kind];
}

export const sourceSchema = component(
  'PageSource',
  answer({
    id: idSchema,
    kind: Joi.string().valid(...SOURCE_KINDS),
    name: Joi.string(),
    settings: Joi.object().unknown().description('as they were given'),
    secretSetAt: timeSchema.allow(null).description('when its password was set'),
    writable: Joi.boolean().description('whether addresses in it can be rewritten'),
    documents: count,
    references: count,
    broken: count,
    indexedAt: timeSchema.allow(null),
  }),
);

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
      .valid(...BROKEN_REASONS)
      .allow(null)
      .description(
        'why it is broken: nothing is or was at the address, the asset is in the bin, there is no such recipe, the address did not answer',
      ),
    detail: Joi.string().allow(null).description('what an address that is unreachable answered'),
  }),
);
