import type { BucketSettings } from '@uniferum/core/connections';
import { BUCKET_DEFAULTS } from '@uniferum/core/connections';
import Joi from 'joi';

/** The bucket that is the home store, instead of the disk. */
export interface HomeBucket {
  settings: BucketSettings;
  secret: string;
  /** How much of it each host keeps in files of its own. */
  cacheBytes: number;
}

const withBucket = (schema: Joi.Schema) =>
  // biome-ignore lint/suspicious/noThenProperty: the name is Joi's
  schema.when('UNIFERUM_HOME_BUCKET', { is: Joi.exist(), then: Joi.required() });

/** The environment variables of the home bucket; the bucket's name decides whether there is one. */
export const homeVariables = {
  UNIFERUM_HOME_BUCKET: Joi.string().min(3).max(63),
  UNIFERUM_HOME_ENDPOINT: withBucket(Joi.string().uri({ scheme: ['http', 'https'] })),
  UNIFERUM_HOME_REGION: withBucket(Joi.string()),
  UNIFERUM_HOME_ACCESS_KEY: withBucket(Joi.string()),
  UNIFERUM_HOME_SECRET: withBucket(Joi.string()),
  UNIFERUM_HOME_PREFIX: Joi.string()
    .allow('')
    .pattern(/^(?!\/)(?:.*\/)?$/, 'a prefix that ends in a slash')
    .default(''),
  UNIFERUM_HOME_ADDRESSING: Joi.string().valid('path', 'virtual-host').default(BUCKET_DEFAULTS.addressing),
  UNIFERUM_HOME_PARALLEL: Joi.number().integer().min(1).max(256).default(32),
  UNIFERUM_CACHE_BYTES: Joi.number().integer().min(0).default(20_000_000_000),
};

/** Reads the validated variables. */
// biome-ignore lint/suspicious/noExplicitAny: as Joi returns them
export function readHome(value: any): HomeBucket | null {
  if (value.UNIFERUM_HOME_BUCKET === undefined) return null;
  return {
    settings: {
      ...BUCKET_DEFAULTS,
      endpoint: value.UNIFERUM_HOME_ENDPOINT.replace(/\/+$/, ''),
      region: value.UNIFERUM_HOME_REGION,
      bucket: value.UNIFERUM_HOME_BUCKET,
      prefix: value.UNIFERUM_HOME_PREFIX,
      addressing: value.UNIFERUM_HOME_ADDRESSING,
      accessKey: value.UNIFERUM_HOME_ACCESS_KEY,
      maxParallel: value.UNIFERUM_HOME_PARALLEL,
    },
    secret: value.UNIFERUM_HOME_SECRET,
    cacheBytes: value.UNIFERUM_CACHE_BYTES,
  };
}
