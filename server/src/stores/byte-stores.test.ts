import { mkdtemp, rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, afterEach, beforeAll, beforeEach, describe } from 'vitest';
import type { ByteStore } from '../shared/byte-store.js';
import { startBucket, type TestBucket } from '../testing/bucket.js';
import { testByteStore } from '../testing/byte-store-contract.js';
import { BucketHome } from './bucket-home.js';
import { DiskStore } from './disk-store.js';
import { MemoryCopies } from './memory-copies.js';

let folder: string;
let store: ByteStore;

beforeEach(async () => {
  folder = await mkdtemp(join(tmpdir(), 'uniferum-stores-'));
});
afterEach(() => rm(folder, { recursive: true }));

const root = () => join(folder, 'data');

describe('a home on a disk', () => {
  beforeEach(async () => {
    store = new DiskStore(root());
    await store.prepare();
  });
  testByteStore(() => ({ store, folder }));
});

describe.each([
  ['a cache that holds everything', 1_000_000_000],
  ['a cache that holds nothing', 0],
])('a home in a bucket, with %s', (_what, cacheBytes) => {
  let bucket: TestBucket;
  let tests = 0;
  beforeAll(async () => {
    bucket = await startBucket();
  });
  afterAll(() => bucket.close());
  beforeEach(async () => {
    tests += 1;
    store = new BucketHome(bucket.store({ prefix: `${tests}/` }), { root: root(), cacheBytes });
    await store.prepare();
  });
  testByteStore(() => ({ store, folder }));
});

describe('a home in any store of copies', () => {
  beforeEach(async () => {
    store = new BucketHome(new MemoryCopies(), { root: root(), cacheBytes: 0 });
    await store.prepare();
  });
  testByteStore(() => ({ store, folder }));
});
