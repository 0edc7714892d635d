import { BUCKET_DEFAULTS, CONNECTION_KINDS } from '@uniferum/core/connections';
import Joi from 'joi';
import { answer, component, idSchema, timeSchema } from '../shared/schemas.js';

const webAddress = Joi.string()
  .uri({ scheme: ['http', 'https'] })
  .max(1000)
  .custom((value: string, helpers) =>
    /[?#]|\/\/[^/]*@/.test(value)
      ? helpers.message({ custom: '{{#label}} may have no query, fragment, user or password' })
      : value.replace(/\/+$/, ''),
  );

/** What every key starts with; a slash is added at its end. */
const prefix = Joi.string()
  .max(200)
  .pattern(/^(?!\/)/, 'no slash at its start')
  .pattern(/^(?!.*(?:^|\/)\.{1,2}(?:\/|$))/, 'no segments of dots')
  .custom((value: string) => (value === '' || value.endsWith('/') ? value : `${value}/`))
  .allow('');

/** Settings of a bucket. */
const bucketSettings = Joi.object({
  endpoint: webAddress
    .required()
    .description('the address of the store, without the bucket')
    .example('https://objects.example'),
  region: Joi.string()
    .max(60)
    .pattern(/^[\w-]+$/)
    .required()
    .example('farrow-1'),
  bucket: Joi.string()
    .min(3)
    .max(63)
    .pattern(/^[a-z0-9][a-z0-9._-]*$/)
    .required()
    .example('skerry-media'),
  prefix: prefix.default(BUCKET_DEFAULTS.prefix).description('what every key starts with'),
  addressing: Joi.string()
    .valid('path', 'virtual-host')
    .default(BUCKET_DEFAULTS.addressing)
    .description("where the bucket's name stands: in the path, or before the host"),
  accessKey: Joi.string().max(200).required().example('skerry-light'),
  publicUrl: webAddress
    .allow(null)
    .default(BUCKET_DEFAULTS.publicUrl)
    .description("where anybody reads the objects: the bucket's own address, or that of a content network"),
  maxParallel: Joi.number()
    .integer()
    .min(1)
    .max(64)
    .default(BUCKET_DEFAULTS.maxParallel)
    .description('requests at once, of each process'),
  maxPerSecond: Joi.number()
    .min(0.1)
    .max(10_000)
    .allow(null)
    .default(BUCKET_DEFAULTS.maxPerSecond)
    .description('requests in a second, of each process; null for no limit'),
});

const name = Joi.string().trim().min(1).max(120);
const secret = Joi.string()
  .max(1000)
  .description('the secret of the access key; it is stored encrypted and never shown');

const connection = {
  kind: Joi.string()
    .valid(...CONNECTION_KINDS)
    .default('bucket'),
  name: name.required(),
  settings: bucketSettings.required(),
};

const EXAMPLE = {
  kind: 'bucket',
  name: 'Media bucket',
  settings: {
    endpoint: 'https://objects.example',
    region: 'farrow-1',
    bucket: 'skerry-media',
    accessKey: 'skerry-light',
  },
  secret: 'the secret of the access key',
};

/** A connection as it is created. */
export const connectionBody = Joi.object({ ...connection, secret: secret.required() }).example(EXAMPLE);

/** A connection to test before it is saved. Without a secret, that of a saved connection is used. */
export const connectionTestBody = Joi.object({
  ...connection,
  name: name.default('new'),
  secret,
  id: idSchema.description('a saved connection whose secret is used'),
})
  .or('secret', 'id')
  .example(EXAMPLE);

/** A change; settings are given complete. */
export const connectionPatch = Joi.object({ name, settings: bucketSettings, secret })
  .min(1)
  .example({ secret: 'the new secret of the access key' });

export const connectionSchema = component(
  'Connection',
  answer({
    id: idSchema,
    kind: connection.kind,
    name: Joi.string(),
    settings: answer({
      endpoint: Joi.string(),
      region: Joi.string(),
      bucket: Joi.string(),
      prefix: Joi.string().allow(''),
      addressing: Joi.string().valid('path', 'virtual-host'),
      accessKey: Joi.string(),
      publicUrl: Joi.string().allow(null),
      maxParallel: Joi.number().integer(),
      maxPerSecond: Joi.number().allow(null),
    }),
    secretSetAt: timeSchema.allow(null).description('when the secret was set'),
    createdAt: timeSchema,
    updatedAt: timeSchema,
  }),
);
