import {
  ASSET_SORTS,
  DEFAULT_SORT,
  EARLIEST_TIME,
  KINDS,
  LATEST_TIME,
  MAX_NAME_LENGTH,
  VISIBILITIES,
} from '@uniferum/core/library';
import Joi from 'joi';
import {
  answer,
  component,
  folderPathSchema,
  idSchema,
  pagingSchemas,
  timeSchema,
  verdictSchema,
} from '../shared/schemas.js';
import type { Joints } from './joints.js';

const count = Joi.number().integer().min(0);
const focalSchema = answer({ x: Joi.number().min(0).max(1), y: Joi.number().min(0).max(1) });

/** The schema of an asset, including the fields that rooms add. */
export function assetSchemaOf({ fields }: Pick<Joints, 'fields'>): Joi.ObjectSchema {
  return component(
    'Asset',
    answer({
      id: idSchema,
      name: Joi.string(),
      folder: answer({ id: idSchema, path: Joi.string() }),
      kind: Joi.string().valid(...KINDS),
      mime: Joi.string(),
      bytes: count,
      width: count.allow(null),
      height: count.allow(null),
      orientation: count.allow(null),
      duration: Joi.number().allow(null).description('seconds'),
      sha256: Joi.string().hex().length(64),
      crc32: Joi.string().hex().length(8),
      title: Joi.string().allow(null),
      alt: Joi.string().allow(null),
      caption: Joi.string().allow(null),
      credit: Joi.string().allow(null),
      keywords: Joi.array().items(Joi.string()),
      capturedAt: timeSchema.allow(null),
      capturedLocal: Joi.string()
        .allow(null)
        .description("what the camera's clock showed, with the offset from UTC where that is known")
        .example('2025-09-14T18:30:00+02:00'),
      focal: focalSchema.allow(null),
      createdAt: timeSchema,
      updatedAt: timeSchema,
      version: count,
      url: Joi.string().uri().description('the complete address of the original'),
      versionedUrl: Joi.string().uri().description('an address at which these bytes may be cached for ever'),
      download: Joi.string().uri(),
      placeholder: Joi.string().allow(null).description('a tiny picture as a data URI'),
      link: answer({
        address: Joi.string(),
        type: Joi.string().valid('photo', 'video', 'link', 'rich'),
        provider: Joi.string().allow(null),
        author: Joi.string().allow(null),
        html: Joi.string().allow(null),
        width: count.allow(null),
        height: count.allow(null),
      })
        .allow(null)
        .description('what is known of media kept elsewhere; of kind link only'),
      visibility: Joi.string()
        .valid(...VISIBILITIES)
        .allow(null)
        .description('who may read it; null takes what its folder says'),
      origin: answer({
        intake: idSchema.allow(null),
        by: Joi.string(),
        via: Joi.string().valid('console', 'api'),
        sentAs: Joi.string(),
      }),
      verdict: verdictSchema,
      ...Object.fromEntries(fields.map(({ name, schema }) => [name, schema])),
    }),
  );
}

const textSchema = (max: number) => Joi.string().trim().max(max).allow(null, '');

export const assetChangeSchema = Joi.object({
  name: Joi.string().trim().min(1).max(MAX_NAME_LENGTH),
  folder: folderPathSchema,
  title: textSchema(500),
  alt: textSchema(5000),
  caption: textSchema(5000),
  credit: textSchema(500),
  keywords: Joi.array().items(Joi.string().trim().min(1).max(100)).unique().max(200),
  capturedAt: Joi.date()
    .iso()
    .min(EARLIEST_TIME)
    .max(LATEST_TIME)
    // Unconverted: its offset is kept.
    .raw()
    .allow(null)
    .description(
      "With an offset (+02:00) for the place where it was taken; in UTC (Z) a known offset is kept; without one, what the camera's clock showed",
    ),
  focal: focalSchema.allow(null),
  visibility: Joi.string()
    .valid(...VISIBILITIES)
    .allow(null)
    .description('who may read it; null takes what its folder says'),
})
  .min(1)
  .example({ title: 'Gannet Head at dusk', alt: 'A white lighthouse on a dark headland' });

/** A filter as text; core parses it. */
export const filterSchema = Joi.string()
  .max(2000)
  .allow('')
  .default('')
  .description('the filter language: kind:image size>2mb alt:none captured:2025-05..2025-09')
  .example('kind:image alt:none');

/** A search: the same defaults in lists, counts and bulk jobs. */
export const searchSchemas = {
  q: filterSchema,
  folder: folderPathSchema.default('/'),
  deep: Joi.boolean().default(true).description('whether assets in its subfolders are included'),
};

export const assetListQuery = Joi.object({
  ...searchSchemas,
  name: Joi.string().max(400).description('only the asset that a file of this name would be in the folder'),
  sort: Joi.string()
    .valid(...ASSET_SORTS)
    .default(DEFAULT_SORT),
  ...pagingSchemas,
});

export const versionSchema = component(
  'Version',
  answer({
    n: count,
    sha256: Joi.string().hex().length(64),
    bytes: count,
    mime: Joi.string(),
    width: count.allow(null),
    height: count.allow(null),
    by: Joi.string(),
    restoredFrom: count.allow(null).description('the version that it brought back'),
    optimisedFrom: count.allow(null).description('the version of which it is a smaller file'),
    url: Joi.string().uri().description('its bytes'),
    createdAt: timeSchema,
  }),
);

export const eventSchema = component(
  'Event',
  answer({
    id: idSchema,
    type: Joi.string(),
    at: timeSchema,
    by: Joi.string(),
    data: Joi.object().unknown(),
  }),
);
