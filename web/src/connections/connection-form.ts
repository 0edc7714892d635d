import type { ConnectionPatch, ConnectionToTest, NewConnection } from '@uniferum/client';
import { BUCKET_DEFAULTS, type BucketSettings, type ConnectionAnswer } from '@uniferum/core/connections';

/** What is typed about a bucket. */
export interface ConnectionForm {
  name: string;
  endpoint: string;
  region: string;
  bucket: string;
  prefix: string;
  addressing: BucketSettings['addressing'];
  accessKey: string;
  /** Empty keeps the one that is stored. */
  secret: string;
  publicUrl: string;
  maxParallel: string;
  maxPerSecond: string;
}

export const EMPTY_CONNECTION: ConnectionForm = {
  ...{ name: '', endpoint: 'https://', region: '', bucket: '', prefix: '', accessKey: '', secret: '' },
  addressing: BUCKET_DEFAULTS.addressing,
  publicUrl: '',
  maxParallel: String(BUCKET_DEFAULTS.maxParallel),
  maxPerSecond: '',
};

export function fromConnection({ name, settings }: ConnectionAnswer): ConnectionForm {
  const { publicUrl, maxParallel, maxPerSecond, ...same } = settings;
  return {
    ...{ name, ...same, secret: '' },
    publicUrl: publicUrl ?? '',
    maxParallel: String(maxParallel),
    maxPerSecond: maxPerSecond === null ? '' : String(maxPerSecond),
  };
}

function toSettings(form: ConnectionForm): BucketSettings {
  const { name: _name, secret: _secret, publicUrl, maxParallel, maxPerSecond, ...same } = form;
  return {
    ...same,
    publicUrl: publicUrl === '' ? null : publicUrl,
    maxParallel: Number(maxParallel),
    maxPerSecond: maxPerSecond === '' ? null : Number(maxPerSecond),
  };
}

/** The request that adds what was typed. */
export function toNewConnection(form: ConnectionForm): NewConnection {
  return { name: form.name, settings: toSettings(form), secret: form.secret };
}

/** The request that changes a connection to what was typed. */
export function toPatch(form: ConnectionForm): ConnectionPatch {
  return {
    name: form.name,
    settings: toSettings(form),
    ...(form.secret !== '' && { secret: form.secret }),
  };
}

/** The request that tests what was typed. @param id the saved connection whose secret is used without another */
export function toTest(form: ConnectionForm, id: string | null): ConnectionToTest {
  return {
    settings: toSettings(form),
    ...(form.secret !== '' ? { secret: form.secret } : id !== null && { id }),
  };
}
