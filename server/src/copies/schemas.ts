import { COPY_STATES, type FolderPlacement, MAX_KEEP_DAYS } from '@uniferum/core/copies';
import Joi from 'joi';
import { answer, component, idSchema, timeSchema } from '../shared/schemas.js';

const count = Joi.number().integer().min(0);
const storeName = Joi.string().trim().min(1).max(40);
const baseUrl = Joi.string()
  .uri({ scheme: ['http', 'https'] })
  .max(500)
  .allow(null);

/** `home` stands for the home store. */
export const storeIdSchema = Joi.alternatives(idSchema, Joi.string().valid('home'));

export const storeSchema = component(
  'Store',
  answer({
    id: storeIdSchema,
    name: Joi.string(),
    kind: Joi.string().valid('disk', 'bucket'),
    connection: answer({ id: idSchema, name: Joi.string() }).allow(null),
    bucket: Joi.string().allow(null),
    region: Joi.string().allow(null),
    prefix: Joi.string().allow('', null),
    publicUrl: Joi.string().uri().allow(null),
    isHome: Joi.boolean(),
    copies: count.description('good copies'),
    bytes: count,
    waiting: count.description('copies to store and to delete'),
    damaged: count,
    auditDays: count.allow(null).description('how often it is audited; null for never'),
    auditedAt: timeSchema.allow(null),
  }),
);

const auditDays = Joi.number()
  .integer()
  .min(1)
  .max(365)
  .allow(null)
  .description('audits it after so many days; null for never');

export const storeBody = Joi.object({
  name: storeName.required(),
  connection: idSchema.required().description('a connection to a bucket'),
  publicUrl: baseUrl
    .default(null)
    .description("the base address of a content network; null takes the connection's public address"),
  auditDays: auditDays.default(null),
}).example({ name: 'bucket', connection: '1' });

export const storePatch = Joi.object({ name: storeName, publicUrl: baseUrl, auditDays })
  .min(1)
  .example({ auditDays: 7 });

const keepLocal = Joi.alternatives(
  Joi.boolean(),
  Joi.number().integer().min(1).max(MAX_KEEP_DAYS),
).description('whether the home store keeps its copy: true, false, or for so many days');

const placementFields = {
  stores: Joi.array().items(storeName).unique().max(20),
  serveFrom: storeName.allow(null),
  keepLocal,
  rewritePages: Joi.boolean(),
};

export const placementBody = Joi.object({
  stores: placementFields.stores.required(),
  serveFrom: storeName
    .allow(null)
    .default(null)
    .description('the store visitors are sent to once it holds a file; one of `stores`, or null'),
  keepLocal: keepLocal.default(true),
  rewritePages: Joi.boolean()
    .default(false)
    .description('whether pages of writable sources are given the addresses of `serveFrom`'),
})
  .custom(({ stores, serveFrom, rewritePages, ...rest }: FolderPlacement, helpers) => {
    if (serveFrom !== null && !stores.includes(serveFrom))
      return helpers.message({ custom: '"serveFrom" must be one of the stores' });
    if (rewritePages && serveFrom === null)
      return helpers.message({
        custom: '"rewritePages" needs "serveFrom", the store whose addresses pages are given',
      });
    return { stores, serveFrom, rewritePages, ...rest };
  })
  .allow(null)
  .example({ stores: ['bucket'], serveFrom: 'bucket', keepLocal: true });

export const historySchema = answer({
  stepSeconds: count,
  items: Joi.array().items(
    answer({
      at: timeSchema,
      bytes: count.allow(null).description('what it held at the end of the period'),
      copies: count.allow(null),
      sent: count.description('bytes sent to it in the period'),
    }),
  ),
});

const price = Joi.number().min(0).max(1_000_000);

export const placementQuery = Joi.object({
  rehearse: Joi.boolean().default(false),
  gigabyteMonth: price.description('with a rehearsal: what a gigabyte costs in a month'),
  thousandRequests: price.description('with a rehearsal: what storing a thousand files costs'),
});

export const placingPlanSchema = answer({
  plan: answer({
    files: count.description('in all stores'),
    bytes: count,
    seconds: Joi.number()
      .allow(null)
      .description('from how fast files were sent lately; null before any were'),
    cost: answer({ once: Joi.number(), perMonth: Joi.number() }).allow(null),
  }),
});

export const placementSchema = component(
  'FolderPlacement',
  answer({
    own: answer(placementFields).allow(null),
    effective: answer({ ...placementFields, from: Joi.string().allow(null) }),
  }),
);

export const copySchema = component(
  'Copy',
  answer({
    store: Joi.string(),
    rendition: Joi.string().allow(null).description('its recipe and variant; null for an original'),
    version: count.allow(null),
    state: Joi.string().valid(...COPY_STATES),
    bytes: count,
    bucket: Joi.string().allow(null),
    key: Joi.string(),
    region: Joi.string().allow(null),
    access: Joi.string().valid('public', 'private'),
    url: Joi.string().uri().allow(null),
    checkedAt: timeSchema.allow(null),
    error: Joi.string().allow(null),
  }),
);

export const copyPlanSchema = answer({
  plan: answer({
    items: Joi.array().items(
      answer({
        asset: idSchema,
        name: Joi.string(),
        folder: Joi.string(),
        files: count,
        bytes: count,
        note: Joi.string().allow(null),
      }),
    ),
    totals: answer({ assets: count, files: count, bytes: count, refused: count }),
  }),
});
