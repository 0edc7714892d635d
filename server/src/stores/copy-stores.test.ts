import { mkdtemp, rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, afterEach, beforeAll, beforeEach, describe } from 'vitest';
import type { CopyStore } from '../shared/copy-store.js';
import { startBucket, type TestBucket } from '../testing/bucket.js';
import { testCopyStore } from '../testing/copy-store-contract.js';
import { DiskCopies } from './disk-copies.js';
import { MemoryCopies } from './memory-copies.js';

describe('a store in memory', () => {
  let store: CopyStore;
  beforeEach(() => {
    store = new MemoryCopies();
  });
  testCopyStore(() => store);
});

describe('a store on a disk', () => {
  let folder: string;
  beforeEach(async () => {
    folder = await mkdtemp(join(tmpdir(), 'uniferum-copies-'));
  });
  afterEach(() => rm(folder, { recursive: true }));
  testCopyStore(() => new DiskCopies('disk', folder));
});

describe('a store in a bucket', () => {
  let bucket: TestBucket;
  let store: CopyStore;
  let tests = 0;
  beforeAll(async () => {
    bucket = await startBucket();
  });
  afterAll(() => bucket.close());
  beforeEach(() => {
    tests += 1;
    // Each test has a part of the bucket to itself.
    store = bucket.store({ prefix: `test + é/${tests}/` });
  });
  afterEach(() => store.close());
  testCopyStore(() => store);
});
