// @ts-check
// A process that uploads one object, downloads it again, and reports its peak resident memory in MB.
import { createHash } from 'node:crypto';
import { createReadStream, readFileSync, truncateSync, writeFileSync } from 'node:fs';
import { createBucketClient } from '../server/dist/stores/bucket-client.js';
import { BucketStore } from '../server/dist/stores/bucket-store.js';

const [endpoint = '', path = '', megabytes = '1'] = process.argv.slice(2);
const bytes = Number(megabytes) * 1_000_000;
writeFileSync(path, '');
truncateSync(path, bytes);

/** @param {AsyncIterable<Buffer>} stream */
async function digestOf(stream) {
  const digest = createHash('sha256');
  for await (const chunk of stream) digest.update(chunk);
  return digest.digest('hex');
}

/** @type {import('@uniferum/core/connections').BucketSettings} */
const settings = {
  ...{ endpoint, region: 'farrow-1', bucket: 'lights', prefix: '', addressing: 'path' },
  ...{ accessKey: 'keeper', publicUrl: null, maxParallel: 8, maxPerSecond: null },
};
const allowedHosts = new Set([new URL(endpoint).host]);
const store = new BucketStore(
  'bench',
  settings,
  createBucketClient({ allowedHosts }, settings, 'lamp-and-lens'),
);
const sha256 = await digestOf(createReadStream(path));
await store.put(
  'large',
  { bytes, sha256, open: (range) => createReadStream(path, range) },
  { mime: 'video/mp4' },
);
if ((await digestOf(await store.open('large'))) !== sha256)
  throw new Error('Other bytes were read than were sent');
await store.delete('large');
store.close();
const peak = Number(/VmHWM:\s+(\d+) kB/.exec(readFileSync('/proc/self/status', 'utf8'))?.[1]) / 1000;
process.send?.(peak, () => process.exit(0));
