import { readdir } from 'node:fs/promises';
import { join } from 'node:path';
import type { ByteStore } from '../shared/byte-store.js';
import type { Config } from '../shared/config.js';
import { createBucketClient } from './bucket-client.js';
import { BucketHome } from './bucket-home.js';
import { BucketStore } from './bucket-store.js';
import { DiskStore } from './disk-store.js';

/** The name of the home store in a bucket, in copies. */
const BUCKET_NAME = 'bucket';

/** Opens the store in which originals and renditions are kept: a folder of this host, or a bucket. */
export async function openHomeStore(config: Pick<Config, 'dataDir' | 'home'>): Promise<ByteStore> {
  const store = createHomeStore(config);
  if (config.home) await refuseDiskBlobs(config.dataDir);
  await store.prepare();
  return store;
}

/** The same without preparing it. */
export function createHomeStore({ dataDir, home }: Pick<Config, 'dataDir' | 'home'>): ByteStore {
  if (!home) return new DiskStore(dataDir);
  const { settings, secret, cacheBytes } = home;
  // The administrator may configure any host.
  const allowedHosts = new Set([new URL(settings.endpoint).host]);
  const bucket = new BucketStore(
    BUCKET_NAME,
    settings,
    createBucketClient({ allowedHosts }, settings, secret),
  );
  return new BucketHome(bucket, { root: dataDir, cacheBytes });
}

/** Rejects a data folder with originals, which would seem to be lost. @throws Error */
async function refuseDiskBlobs(dataDir: string): Promise<void> {
  const blobs = join(dataDir, 'blobs');
  for (const folder of await readdir(blobs).catch(() => []))
    if ((await readdir(join(blobs, folder))).length > 0)
      throw new Error(
        `${dataDir} holds files of a store on this disk, and UNIFERUM_HOME_BUCKET names a bucket. Use a new installation, or remove UNIFERUM_HOME_BUCKET.`,
      );
}
