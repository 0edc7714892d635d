import { mkdtemp, readdir, readFile, rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Readable } from 'node:stream';
import { buffer } from 'node:stream/consumers';
import { afterEach, beforeEach, describe, expect, test } from 'vitest';
import { UniferumError } from '../shared/errors.js';
import { sha256Of } from '../shared/sha256.js';
import { BucketHome } from './bucket-home.js';
import { MemoryCopies } from './memory-copies.js';

/** A bucket in memory that notes what it is asked, and fails as the test says. */
class NotedBucket extends MemoryCopies {
  readonly asked: string[] = [];
  opened = (stream: Readable): Readable => stream;
  fault: (request: string) => Error | null | Promise<Error | null> = () => null;

  override async put(...[key, ...more]: Parameters<MemoryCopies['put']>) {
    await this.#note(`put ${key}`);
    return super.put(key, ...more);
  }
  override async head(key: string) {
    await this.#note(`head ${key}`);
    return super.head(key);
  }
  override async open(...[key, ...more]: Parameters<MemoryCopies['open']>) {
    await this.#note(`open ${key}`);
    return this.opened(await super.open(key, ...more));
  }
  override async delete(key: string) {
    await this.#note(`delete ${key}`);
    return super.delete(key);
  }
  override async copyWithin(from: string, to: string) {
    await this.#note(`copy ${from} ${to}`);
    return super.copyWithin(from, to);
  }

  async #note(request: string): Promise<void> {
    this.asked.push(request);
    const fault = await this.fault(request);
    if (fault) throw fault;
  }
}

const AWAY = new UniferumError('store-away', 'The store "memory" can\'t be used.');
let folder: string;
let bucket: NotedBucket;
let home: BucketHome;
beforeEach(async () => {
  folder = await mkdtemp(join(tmpdir(), 'uniferum-requests-'));
  bucket = new NotedBucket();
  home = new BucketHome(bucket, { root: folder, cacheBytes: 1e9 });
  await home.prepare();
});
afterEach(() => rm(folder, { recursive: true, force: true }));

const stage = (content: Buffer | string) =>
  home.stage(Readable.from([Buffer.from(content)]), { limitBytes: 1e9 });
async function add(content: Buffer | string): Promise<string> {
  const staged = await stage(content);
  await staged.keep();
  return staged.sha256;
}
/** What the bucket is asked meanwhile, with the digest in question as its mark. */
async function askedBy(sha256: string, work: () => Promise<unknown>): Promise<string[]> {
  bucket.asked.length = 0;
  await work();
  return bucket.asked.map((request) =>
    request.replaceAll(home.keyOf(sha256), 'KEY').replaceAll(sha256, 'DIGEST'),
  );
}
const loseCache = async () => {
  await rm(join(folder, 'cache'), { recursive: true });
  await home.prepare();
};

describe('keeping', () => {
  const SMALL = 128 * 1024;

  test('a small file sends it without asking, and a larger one only where it is missing', async () => {
    for (const [bytes, first, second] of [
      [SMALL, ['put KEY'], ['put KEY']],
      [SMALL + 1, ['head KEY', 'put KEY'], ['head KEY']],
    ] as const) {
      const content = Buffer.alloc(bytes, 'x');
      expect(await askedBy(sha256Of(content), () => add(content))).toEqual(first);
      expect(await askedBy(sha256Of(content), () => add(content))).toEqual(second);
    }
  });

  test('again asks whether it is still there', async () => {
    const staged = await stage('a light');
    await staged.keep();
    expect(await askedBy(staged.sha256, () => staged.keep())).toEqual(['head KEY']);
  });

  test('bytes of which the bucket has another number sends them', async () => {
    const content = Buffer.alloc(SMALL + 1, 'x');
    const sha256 = sha256Of(content);
    const wrong = Buffer.from('cut off');
    await bucket.put(
      home.keyOf(sha256),
      { sha256: sha256Of(wrong), bytes: wrong.length, open: () => Readable.from([wrong]) },
      { mime: 'text/plain' },
    );
    expect(await askedBy(sha256, () => add(content))).toEqual(['head KEY', 'put KEY']);
    expect(await home.measure(sha256)).toBe(content.length);
  });

  test('what was discarded is refused, and what was kept is not discarded', async () => {
    const [gone, kept] = [await stage('gone'), await stage('kept')];
    await gone.discard();
    await expect(gone.keep()).rejects.toThrow();
    await kept.keep();
    await kept.discard();
    expect(await askedBy(kept.sha256, () => kept.keep())).toEqual(['head KEY']);
    expect([await home.has(gone.sha256), await home.has(kept.sha256)]).toEqual([false, true]);
  });

  test('that the bucket refuses leaves the bytes staged', async () => {
    const staged = await stage('a light');
    bucket.fault = () => AWAY;
    await expect(staged.keep()).rejects.toBe(AWAY);
    bucket.fault = () => null;
    expect(await home.has(staged.sha256)).toBe(false);
    await staged.keep();
    expect(await home.has(staged.sha256)).toBe(true);
  });
});

describe('asking for a blob', () => {
  test('asks for nothing that is cached, and for the rest in turn', async () => {
    const sha256 = await add('a light');
    expect(await askedBy(sha256, () => home.has(sha256))).toEqual([]);
    await loseCache();
    expect(await askedBy(sha256, () => home.has(sha256))).toEqual(['head KEY']);
    const other = 'ab'.repeat(32);
    expect(await askedBy(other, () => home.has(other))).toEqual([
      'head KEY',
      'head aside/DIGEST',
      'head KEY',
    ]);
    await home.quarantine(sha256);
    expect(await askedBy(sha256, () => home.has(sha256))).toEqual([
      ...['head KEY', 'head aside/DIGEST', 'head KEY', 'copy aside/DIGEST KEY', 'delete aside/DIGEST'],
    ]);
  });

  test('recalls it from elsewhere only where it is nowhere here', async () => {
    const recalled: string[] = [];
    home.recallFrom(async (sha256) => {
      recalled.push(sha256);
      return sha256.startsWith('ab');
    });
    const sha256 = await add('a light');
    await loseCache();
    expect(await home.has(sha256)).toBe(true);
    expect(recalled).toEqual([]);
    expect([await home.has('ab'.repeat(32)), await home.has('cd'.repeat(32))]).toEqual([true, false]);
    expect(recalled).toEqual(['ab'.repeat(32), 'cd'.repeat(32)]);
  });

  test('reads what is cached without a request, and the rest once', async () => {
    const sha256 = await add('a light');
    const read = () => buffer(home.open(sha256));
    expect(await askedBy(sha256, read)).toEqual([]);
    await loseCache();
    expect(await askedBy(sha256, read)).toEqual(['open KEY']);
    expect(await askedBy(sha256, read)).toEqual([]);
    expect((await read()).toString()).toBe('a light');
  });

  test('gives up after three damaged reads', async () => {
    const sha256 = 'ab'.repeat(32);
    const wrong = Buffer.from('damaged');
    await bucket.put(
      home.keyOf(sha256),
      { sha256: sha256Of(wrong), bytes: wrong.length, open: () => Readable.from([wrong]) },
      { mime: 'text/plain' },
    );
    const asked = await askedBy(sha256, () =>
      expect(home.borrow(sha256)).rejects.toMatchObject({ code: 'bytes-damaged' }),
    );
    expect(asked).toEqual(Array(3).fill('open KEY'));
  });

  test('reads again what breaks off, and gives up after the third time', async () => {
    const sha256 = await add('a light');
    let breaks = 2;
    bucket.opened = (stream) => {
      breaks -= 1;
      return breaks < 0
        ? stream
        : Readable.from(
            (async function* () {
              yield Buffer.from('a l');
              throw new Error('the connection broke');
            })(),
          );
    };
    await loseCache();
    const file = await home.borrow(sha256);
    expect(await readFile(file.path, 'utf8')).toBe('a light');
    await file.release();
    breaks = 3;
    await loseCache();
    await expect(home.borrow(sha256)).rejects.toMatchObject({
      code: 'store-away',
      message: expect.stringContaining('breaks off again and again'),
    });
    expect(await readdir(home.scratch())).toEqual([]);
  });

  test('that is nowhere says so', async () => {
    await expect(home.borrow('ab'.repeat(32))).rejects.toMatchObject({ code: 'not-found' });
  });

  test('measures it, or nothing', async () => {
    const sha256 = await add('a light');
    expect([await home.measure(sha256), await home.measure('ab'.repeat(32))]).toEqual([7, null]);
    expect([(await home.keptSince(sha256)) !== null, await home.keptSince('ab'.repeat(32))]).toEqual([
      true,
      null,
    ]);
  });

  test('lists nothing that is no blob', async () => {
    const sha256 = await add('a light');
    const note = {
      sha256: sha256Of(Buffer.from('x')),
      bytes: 1,
      open: () => Readable.from([Buffer.from('x')]),
    };
    for (const key of ['blobs/ab/note', `blobs/ab/${'ab'.repeat(32)}x`, `other/ab/${'ab'.repeat(32)}`])
      await bucket.put(key, note, { mime: 'text/plain' });
    const listed: string[] = [];
    for await (const page of home.listKept()) listed.push(...page);
    expect(listed).toEqual([sha256]);
  });
});

describe('the quarantine', () => {
  test('deletes nothing that could not be copied there', async () => {
    const sha256 = await add('a light');
    bucket.fault = (request) => (request.startsWith('copy') ? AWAY : null);
    await expect(home.quarantine(sha256)).rejects.toBe(AWAY);
    bucket.fault = () => null;
    expect(await home.measure(sha256)).toBe(7);
  });

  test('keeps what could not be copied back, unless another host did it', async () => {
    const sha256 = await add('a light');
    await home.quarantine(sha256);
    bucket.fault = (request) => (request.startsWith('copy') ? AWAY : null);
    await expect(home.restoreQuarantined(sha256)).rejects.toBe(AWAY);
    expect((await home.listQuarantined()).map((one) => one.sha256)).toEqual([sha256]);
    bucket.fault = async (request) => {
      if (!request.startsWith('copy')) return null;
      bucket.fault = () => null;
      await add('a light');
      return AWAY;
    };
    await home.restoreQuarantined(sha256);
    expect(await home.listQuarantined()).toEqual([]);
    expect(await home.has(sha256)).toBe(true);
  });

  test('copies nothing over bytes that are there again', async () => {
    const sha256 = await add('a light');
    await home.quarantine(sha256);
    await add('a light');
    expect(await askedBy(sha256, () => home.restoreQuarantined(sha256))).toEqual([
      ...['head KEY', 'delete aside/DIGEST'],
    ]);
  });
});

test('the state is that of the folder, then that of the bucket', async () => {
  expect(await home.check()).toBe('ok');
  bucket.fault = () => AWAY;
  expect(await home.check()).toBe('failing');
  await rm(join(folder, 'cache/staging'), { recursive: true });
  bucket.asked.length = 0;
  expect([await home.check(), bucket.asked]).toEqual(['failing', []]);
});
