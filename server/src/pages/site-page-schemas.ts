import { KINDS } from '@uniferum/core/library';
import Joi from 'joi';
import { answer, component, folderPathSchema, idSchema, timeSchema } from '../shared/schemas.js';

const count = Joi.number().integer().min(0);
const named = Joi.string()
  .pattern(/^[a-z][a-z0-9-]{0,59}$/)
  .description('lower-case letters, digits and hyphens');

const slotType = Joi.object({
  name: named.required(),
  help: Joi.string().max(500).allow(null).default(null),
  kinds: Joi.array()
    .items(Joi.string().valid(...KINDS))
    .unique()
    .default([]),
  folders: Joi.array().items(folderPathSchema).unique().max(100).default([]),
  least: count.max(1000).default(0),
  most: count.min(1).max(1000).allow(null).default(null),
});

export const pageTypeBody = Joi.object({
  name: named.required(),
  title: Joi.string().trim().min(1).max(120).required(),
  slots: Joi.array().items(slotType).unique('name').max(50).default([]),
  regions: Joi.array().items(named).unique().max(20).default([]),
}).example({
  name: 'light',
  title: 'Lighthouse',
  slots: [{ name: 'pictures', help: 'Views of the light, the best one first.', kinds: ['image'], least: 1 }],
  regions: ['main', 'side'],
});

export const pageTypeSchema = component(
  'PageType',
  answer({
    name: Joi.string(),
    title: Joi.string(),
    slots: Joi.array().items(Joi.object().unknown()),
    regions: Joi.array().items(Joi.string()),
  }),
);

/** A slug: what a path can hold without being escaped in a way that nobody can read. */
const slug = Joi.string()
  .max(120)
  .pattern(/^[\p{L}\p{N}]+(?:-[\p{L}\p{N}]+)*$/u, 'slug')
  .allow('')
  .description('its part of the address; empty for the first page');

const entry = Joi.object({
  asset: idSchema.required(),
  recipe: Joi.string().max(60).allow(null).default(null),
  caption: Joi.string().max(2000).allow(null).default(null),
});

const MAX_BODY = 2_000_000;

const fields = {
  type: named,
  title: Joi.string().trim().min(1).max(300),
  slug,
  parent: idSchema.allow(null),
  inNavigation: Joi.boolean(),
  position: Joi.number().integer().min(-1_000_000).max(1_000_000),
  state: Joi.string().valid('draft', 'published'),
  body: Joi.string().max(MAX_BODY).allow('').description('HTML in which media are named by `data-asset`'),
  slots: Joi.object().pattern(named, Joi.array().items(idSchema).max(1000)),
  regions: Joi.object().pattern(named, Joi.array().items(entry).max(1000)),
};

export const newPageBody = Joi.object({ ...fields, title: fields.title.required() }).example({
  title: 'Gannet Head',
  slug: 'gannet-head',
  body: '<p>Built in 1871.</p><figure><img data-asset="7" data-recipe="wide" alt="The light at dusk"></figure>',
});

export const pagePatchBody = Joi.object(fields).min(1).example({ title: 'Gannet Head', state: 'published' });

const place = {
  id: idSchema,
  type: Joi.string(),
  title: Joi.string(),
  slug: Joi.string().allow(''),
  path: Joi.string(),
  parent: idSchema.allow(null),
  inNavigation: Joi.boolean(),
  position: Joi.number().integer(),
  state: Joi.string().valid('draft', 'published'),
  hasChanges: Joi.boolean().description('something is written that is not published'),
  broken: count,
  revision: count,
  publishedAt: timeSchema.allow(null),
  updatedAt: timeSchema,
  updatedBy: Joi.string(),
};

export const pageSummarySchema = component('PageSummary', answer(place));

const anything = Joi.object().unknown();

export const pageSchema = component(
  'Page',
  answer({
    ...place,
    body: Joi.string().allow('').description('as it is written'),
    html: Joi.string().allow('').description('as the site shows it'),
    slots: anything.description('lists of assets, by slot'),
    regions: anything.description('lists of entries, by region'),
  }),
);

export const revisionSchema = component(
  'PageRevision',
  answer({
    revision: count,
    title: Joi.string(),
    autosaved: Joi.boolean(),
    savedBy: Joi.string(),
    savedAt: timeSchema,
  }),
);
