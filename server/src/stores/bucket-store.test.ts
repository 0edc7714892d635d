import { randomBytes } from 'node:crypto';
import { mkdtemp, rm } from 'node:fs/promises';
import { createServer, type Server as HttpServer, type IncomingMessage, request } from 'node:http';
import { createRequire } from 'node:module';
import type { AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { buffer } from 'node:stream/consumers';
import {
  AbortMultipartUploadCommand,
  CreateMultipartUploadCommand,
  ListMultipartUploadsCommand,
} from '@aws-sdk/client-s3';
import { BUCKET_DEFAULTS } from '@uniferum/core/connections';
import aws4 from 'aws4';
import { afterAll, afterEach, beforeAll, beforeEach, describe, expect, test } from 'vitest';
import { BUCKET_ACCOUNT, BUCKET_SECRET, startBucket, type TestBucket } from '../testing/bucket.js';
import { sourceOf, testCopyStore } from '../testing/copy-store-contract.js';
import { bucketCalls } from './bucket-calls.js';
import { createBucketClient } from './bucket-client.js';
import { copyInParts } from './bucket-parts.js';
import { BucketStore } from './bucket-store.js';

const JPEG = { mime: 'image/jpeg' };
const LARGE = 20 * 1024 * 1024;

let bucket: TestBucket;
let store: BucketStore;
let prefixOfTest: string;

beforeAll(async () => {
  bucket = await startBucket();
});
afterAll(() => bucket.close());
beforeEach(() => {
  prefixOfTest = `${randomBytes(4).toString('hex')}/`;
  store = bucket.store({ prefix: prefixOfTest });
});
afterEach(async () => {
  store.close();
  await bucket.setFaults([]);
  await bucket.setClock(0);
  await bucket.setAccounts([BUCKET_ACCOUNT]);
});

const unfinished = async () => {
  const client = createBucketClient({ allowedHosts: new Set([bucket.host]) }, bucket.settings, BUCKET_SECRET);
  const { Uploads = [] } = await client.send(new ListMultipartUploadsCommand({ Bucket: 'lights' }));
  client.destroy();
  return Uploads.length;
};

test('type and cache header are those that were given', async () => {
  const open = bucket.store({ bucket: 'open', prefix: 'p é/', publicUrl: `${bucket.endpoint}/open` });
  const cacheControl = 'public, max-age=31536000, immutable';
  for (const [key, length] of [
    ['small', 5],
    ['large', LARGE],
  ] as const) {
    await open.put(key, sourceOf(randomBytes(length)), { mime: 'image/webp', cacheControl });
    const answer = await fetch(open.publicAddress(key), { method: 'HEAD' });
    expect(answer.headers.get('content-type')).toBe('image/webp');
    expect(answer.headers.get('cache-control')).toBe(cacheControl);
    expect(answer.headers.get('content-length')).toBe(String(length));
  }
  open.close();
});

test('it says what it can do', () => {
  expect([...store.capabilities].sort()).toEqual(['copy-within', 'signed-addresses']);
  expect(() => store.publicAddress('k')).toThrow('public addresses');
  const open = bucket.store({ prefix: 'p/', publicUrl: 'https://media.example/lights' });
  expect([...open.capabilities].sort()).toEqual(['copy-within', 'public-addresses', 'signed-addresses']);
  expect(open.publicAddress('a b.jpg')).toBe('https://media.example/lights/p/a%20b.jpg');
  open.close();
});

test('a busy store is asked again', async () => {
  await bucket.setFaults([{ kind: 'busy', times: 2, retryAfterS: 0 }]);
  await store.put('k', sourceOf('light'), JPEG);
  expect(await store.head('k')).toMatchObject({ bytes: 5 });
});

test('one that asks for a long wait is away for now, and says how long', async () => {
  await bucket.setFaults([{ kind: 'busy', retryAfterS: 90 }]);
  await expect(store.put('k', sourceOf('light'), JPEG)).rejects.toMatchObject({
    code: 'store-away',
    options: { retryAfterSeconds: 90 },
  });
});

test('a connection that breaks in the middle of a part is made again', async () => {
  const source = sourceOf(randomBytes(LARGE));
  await bucket.setFaults([{ kind: 'cut', method: 'PUT', times: 2 }]);
  await store.put('film.mp4', source, JPEG);
  expect(source.content.equals(await buffer(await store.open('film.mp4')))).toBe(true);
});

test('answers that are lost change nothing: what was done is found done', async () => {
  const source = sourceOf(randomBytes(LARGE));
  // Any call may be the one: beginning, a part, completing.
  for (const method of ['POST', 'PUT', 'DELETE']) {
    await bucket.setFaults([{ kind: 'lost', method, times: 2 }]);
    await store.put('film.mp4', source, JPEG);
    await store.put('small', sourceOf(method), JPEG);
    if (method === 'DELETE') await store.delete('small');
  }
  await bucket.setFaults([]);
  expect(source.content.equals(await buffer(await store.open('film.mp4')))).toBe(true);
  expect(await store.head('small')).toBeNull();
  // An upload whose beginning got no answer is begun again; the sweep ends what is left of the first.
  expect(await store.sweep(0)).toBe(2);
});

test('a completion whose answer is lost is found completed', async () => {
  const source = sourceOf(randomBytes(LARGE));
  const losing = {
    ...source,
    open: async (range?: { start: number; end: number }) => {
      // From the last part on: what is lost is the answer to completing.
      if (range && range.end === source.bytes - 1)
        await bucket.setFaults([{ kind: 'lost', method: 'POST', times: 1 }]);
      return source.open(range);
    },
  };
  expect(await store.put('film.mp4', losing, JPEG)).toMatchObject({ bytes: LARGE });
  expect(source.content.equals(await buffer(await store.open('film.mp4')))).toBe(true);
  expect(await unfinished()).toBe(0);
});

test.each([
  ['another object lies there', 'another'],
  ['nothing lies there', null],
])('a completion that fails because the upload is gone fails, where %s', async (_what, other) => {
  const source = sourceOf(randomBytes(LARGE));
  const client = createBucketClient({ allowedHosts: new Set([bucket.host]) }, bucket.settings, BUCKET_SECRET);
  const ending = {
    ...source,
    open: async (range?: { start: number; end: number }) => {
      const part = source.open(range);
      // With the last part, somebody else aborts it.
      if (range?.end !== source.bytes - 1) return part;
      const { Uploads = [] } = await client.send(new ListMultipartUploadsCommand({ Bucket: 'lights' }));
      for (const { Key, UploadId } of Uploads)
        await client.send(new AbortMultipartUploadCommand({ Bucket: 'lights', Key, UploadId }));
      return part;
    },
  };
  if (other !== null) await store.put('film.mp4', sourceOf(other), JPEG);
  await expect(store.put('film.mp4', ending, JPEG)).rejects.toMatchObject({ code: 'not-found' });
  client.destroy();
  expect((await store.head('film.mp4'))?.bytes ?? null).toBe(other?.length ?? null);
});

test('a completion that is refused is not taken for done, whatever lies there', async () => {
  const source = sourceOf(randomBytes(LARGE));
  await store.put('film.mp4', source, JPEG);
  const refusing = {
    ...source,
    open: async (range?: { start: number; end: number }) => {
      if (range?.end === source.bytes - 1) await bucket.setFaults([{ kind: 'deny', method: 'POST' }]);
      return source.open(range);
    },
  };
  await expect(store.put('film.mp4', refusing, JPEG)).rejects.toMatchObject({ code: 'store-refused' });
});

test("a clock that is wrong is corrected by the store's", async () => {
  await bucket.setClock(20 * 60_000);
  await store.put('k', sourceOf('light'), JPEG);
  expect(await store.head('k')).not.toBeNull();
});

test('no more requests are on their way than were allowed', async () => {
  const held: (() => void)[] = [];
  let inFlight = 0;
  let most = 0;
  const server = createServer((req, res) => {
    inFlight += 1;
    most = Math.max(most, inFlight);
    req.resume();
    held.push(() => {
      inFlight -= 1;
      res.writeHead(200, { ETag: '"x"' }).end();
    });
  });
  await new Promise<void>((done) => server.listen(0, '127.0.0.1', done));
  const { port } = server.address() as AddressInfo;
  const settings = { ...bucket.settings, endpoint: `http://127.0.0.1:${port}`, maxParallel: 2 };
  const client = createBucketClient(
    { allowedHosts: new Set([`127.0.0.1:${port}`]) },
    settings,
    BUCKET_SECRET,
  );
  const limited = new BucketStore('limited', settings, client);
  const puts = Promise.all(Array.from({ length: 6 }, (_, n) => limited.put(String(n), sourceOf('x'), JPEG)));
  for (let answered = 0; answered < 6; answered += 1) {
    await expect.poll(() => held.length).toBeGreaterThan(0);
    held.shift()?.();
  }
  await puts;
  expect(most).toBe(2);
  limited.close();
  server.close();
});

test('an upload in parts that fails or is stopped leaves no parts', async () => {
  await bucket.setFaults([{ kind: 'deny', method: 'PUT' }]);
  await expect(store.put('film.mp4', sourceOf(randomBytes(LARGE)), JPEG)).rejects.toMatchObject({
    code: 'store-refused',
  });
  expect(await unfinished()).toBe(0);
  await bucket.setFaults([]);

  const ending = new AbortController();
  const source = sourceOf(randomBytes(LARGE));
  const stopping = {
    ...source,
    open: (range?: { start: number; end: number }) => {
      if (range && range.start > 0) ending.abort();
      return source.open(range);
    },
  };
  await expect(store.put('film.mp4', stopping, JPEG, { signal: ending.signal })).rejects.toMatchObject({
    name: 'AbortError',
  });
  expect(await unfinished()).toBe(0);
  expect(await store.head('film.mp4')).toBeNull();
});

test('parts that a dead process left are swept, by age', async () => {
  // Neither the parts nor what aborts them arrive: as if the process had ended.
  await bucket.setFaults([
    { kind: 'deny', method: 'PUT' },
    { kind: 'deny', method: 'DELETE' },
  ]);
  await expect(store.put('film.mp4', sourceOf(randomBytes(LARGE)), JPEG)).rejects.toThrow();
  await bucket.setFaults([]);
  expect(await unfinished()).toBe(1);
  expect(await store.sweep(60_000)).toBe(0);
  const elsewhere = bucket.store({ prefix: 'elsewhere/' });
  expect(await elsewhere.sweep(0)).toBe(0);
  elsewhere.close();
  expect(await store.sweep(0)).toBe(1);
  expect(await unfinished()).toBe(0);
});

test('parts that a dead process left are swept, however many of others lie before them', async () => {
  const client = createBucketClient({ allowedHosts: new Set([bucket.host]) }, bucket.settings, BUCKET_SECRET);
  const begin = async (Key: string) => {
    const { UploadId } = await client.send(new CreateMultipartUploadCommand({ Bucket: 'lights', Key }));
    return { Bucket: 'lights', Key, UploadId };
  };
  for (const key of ['b', 'a']) await begin(prefixOfTest + key);
  const others: Awaited<ReturnType<typeof begin>>[] = [];
  for (let n = 0; n < 1001; n += 1) others.push(await begin('!'));
  expect(await store.sweep(0)).toBe(2);
  for (const other of others) await client.send(new AbortMultipartUploadCommand(other));
  client.destroy();
  expect(await unfinished()).toBe(0);
});

test('an object too large to be copied at once is copied in parts', async () => {
  const source = sourceOf(randomBytes(12_000_000));
  await store.put('a é', source, JPEG);
  const { settings } = bucket;
  const client = createBucketClient({ allowedHosts: new Set([bucket.host]) }, settings, BUCKET_SECRET);
  const calls = bucketCalls('bucket', { ...settings, prefix: prefixOfTest }, client);
  await copyInParts(calls, {
    ...{ from: 'a é', to: 'b', bytes: source.bytes, partBytes: 5 * 1024 * 1024, signal: undefined },
    about: { ContentType: 'image/jpeg' },
  });
  client.destroy();
  expect(source.content.equals(await buffer(await store.open('b')))).toBe(true);
  expect(await unfinished()).toBe(0);
});

test.each([
  ['a wrong secret', {}, 'wrong', /secret does not fit/],
  ['an unknown access key', { accessKey: 'nobody' }, BUCKET_SECRET, /does not know the access key/],
  ['a wrong region', { region: 'elsewhere' }, BUCKET_SECRET, /Check the region/],
  ['a bucket that does not exist', { bucket: 'nowhere' }, BUCKET_SECRET, /Check its name/],
])('%s concerns the whole store, which waits', async (_what, wrong, secret, words) => {
  const other = bucket.store(wrong, secret);
  await expect(other.put('k', sourceOf('x'), JPEG)).rejects.toMatchObject({
    code: 'store-away',
    message: expect.stringMatching(words),
  });
  other.close();
});

test('credentials that are revoked half-way make the rest wait, and work goes on once they are back', async () => {
  await store.put('a', sourceOf('a'), JPEG);
  await bucket.setAccounts([]);
  await expect(store.put('b', sourceOf('b'), JPEG)).rejects.toMatchObject({ code: 'store-away' });
  await bucket.setAccounts([BUCKET_ACCOUNT]);
  await store.put('b', sourceOf('b'), JPEG);
  expect(await store.head('b')).not.toBeNull();
});

test('a key that is refused concerns this key', async () => {
  await bucket.setFaults([{ kind: 'deny', key: 'secret' }]);
  await expect(store.put('secret.jpg', sourceOf('x'), JPEG)).rejects.toMatchObject({
    code: 'store-refused',
    message: expect.stringContaining('secret.jpg'),
  });
  await store.put('open.jpg', sourceOf('x'), JPEG);
});

test('a store that is gone is away', async () => {
  const nowhere = new BucketStore(
    'gone',
    { ...bucket.settings, endpoint: 'http://127.0.0.1:9' },
    createBucketClient(
      { allowedHosts: new Set(['127.0.0.1']) },
      { ...bucket.settings, endpoint: 'http://127.0.0.1:9' },
      BUCKET_SECRET,
    ),
  );
  await expect(nowhere.head('k')).rejects.toMatchObject({
    code: 'store-away',
    message: expect.stringContaining('ECONNREFUSED'),
  });
});

test('a private host is not connected to unless the configuration names it', async () => {
  const config = { allowedHosts: new Set<string>() };
  const named = { ...bucket.settings, endpoint: bucket.endpoint.replace('127.0.0.1', 'localhost') };
  for (const settings of [bucket.settings, named]) {
    const other = new BucketStore('named', settings, createBucketClient(config, settings, BUCKET_SECRET));
    // Its host may have been allowed before: what is to be stored there waits until it is again.
    await expect(other.head('k')).rejects.toMatchObject({
      code: 'store-away',
      message: expect.stringContaining('UNIFERUM_ALLOWED_HOSTS'),
    });
    other.close();
  }
});

test("the bucket's name may precede the host", async () => {
  const address = bucket.store({ addressing: 'virtual-host', endpoint: 'https://objects.example' });
  expect(await address.signAddress('k', { expiresInS: 60 })).toMatch(
    /^https:\/\/lights\.objects\.example\/k\?/,
  );
  address.close();
});

describe('against an independent server that verifies signatures', () => {
  // `s3rver` is a server of the common bucket interface, made by others; it leaves out version 4 of the signatures, which
  // `aws4`, made by others again, verifies before it.
  const Server = createRequire(import.meta.url)('s3rver') as new (
    options: object,
  ) => { run(): Promise<AddressInfo>; close(): Promise<void> };
  let folder: string;
  let server: InstanceType<typeof Server>;
  let verifier: HttpServer;
  let independent: BucketStore;
  let endpoint: string;
  let tests = 0;
  const open = (secret: string) => {
    const settings = {
      ...BUCKET_DEFAULTS,
      ...{ endpoint, region: 'us-east-1', bucket: 'lights', accessKey: 'S3RVER', prefix: `${tests}/` },
    };
    const { host } = new URL(endpoint);
    return new BucketStore(
      'independent',
      settings,
      createBucketClient({ allowedHosts: new Set([host]) }, settings, secret),
    );
  };

  beforeAll(async () => {
    folder = await mkdtemp(join(tmpdir(), 'uniferum-s3rver-'));
    server = new Server({
      ...{ address: '127.0.0.1', port: 0, silent: true, directory: folder },
      configureBuckets: [{ name: 'lights' }],
    });
    const { port } = await server.run();
    verifier = createServer((req, res) => {
      if (!isSignedAs(req, 'S3RVER')) {
        res.writeHead(403).end('<Error><Code>SignatureDoesNotMatch</Code></Error>');
        return;
      }
      const { method, url: path, headers } = req;
      const onward = request({ host: '127.0.0.1', port, method, path, headers }, (answer) => {
        res.writeHead(answer.statusCode ?? 500, answer.headers);
        answer.pipe(res);
      });
      req.pipe(onward);
    });
    await new Promise<void>((done) => verifier.listen(0, '127.0.0.1', done));
    endpoint = `http://127.0.0.1:${(verifier.address() as AddressInfo).port}`;
  });
  afterAll(async () => {
    verifier.closeAllConnections();
    verifier.close();
    await server.close();
    await rm(folder, { recursive: true, force: true });
  });
  beforeEach(() => {
    tests += 1;
    independent = open('S3RVER');
  });
  afterEach(() => independent.close());

  test('a wrong secret is refused', async () => {
    const stranger = open('wrong');
    await expect(stranger.put('k', sourceOf('x'), JPEG)).rejects.toMatchObject({ code: 'store-away' });
    stranger.close();
  });

  // It keeps objects in files by their keys, so that names are limited, and lists file by file.
  // It writes into the file of the key, so that two writers mix.
  testCopyStore(() => independent, { keys: /\/\/|.{300}/, order: true, wholeness: true });
});

/** Signs the request once more, by other code, and compares. */
function isSignedAs(req: IncomingMessage, secret: string): boolean {
  const sent = req.headers.authorization ?? '';
  const [, signature] = /[?&]X-Amz-Signature=([0-9a-f]+)/.exec(req.url ?? '') ?? [];
  if (signature !== undefined) return signAddressAgain(req, secret).includes(`X-Amz-Signature=${signature}`);
  const [, accessKeyId = '', region = '', names = ''] =
    /Credential=([^/]+)\/\d+\/([^/]+)\/.*SignedHeaders=([^,]+),/.exec(sent) ?? [];
  const signedNames = names.split(';');
  const headers = Object.fromEntries(signedNames.map((name) => [name, String(req.headers[name])]));
  // It is spelt so that the library finds it.
  headers['X-Amz-Content-Sha256'] = headers['x-amz-content-sha256'] ?? '';
  headers['X-Amz-Date'] = headers['x-amz-date'] ?? '';
  delete headers['x-amz-content-sha256'];
  delete headers['x-amz-date'];
  const signed = aws4.sign(
    {
      ...{ service: 's3', region, method: req.method ?? 'GET', path: req.url ?? '/', headers },
      extraHeadersToInclude: Object.fromEntries(signedNames.map((name) => [name, true])),
    } as Parameters<typeof aws4.sign>[0],
    { accessKeyId, secretAccessKey: secret },
  );
  return signed.headers?.Authorization?.toString().replaceAll(' ', '') === sent.replaceAll(' ', '');
}

function signAddressAgain(req: IncomingMessage, secret: string): string {
  const path = (req.url ?? '').replace(/[?&]X-Amz-Signature=[0-9a-f]+/, '');
  const [, accessKeyId = '', region = ''] = /X-Amz-Credential=([^%]+)%2F\d+%2F([^%]+)%2F/.exec(path) ?? [];
  const signed = aws4.sign(
    { service: 's3', region, signQuery: true, path, headers: { host: req.headers.host ?? '' } },
    { accessKeyId, secretAccessKey: secret },
  );
  return signed.path ?? '';
}

test.each([
  ['http://127.0.0.1', '127.0.0.1:80', true],
  ['http://127.0.0.1', '127.0.0.1:443', false],
  ['https://127.0.0.1', '127.0.0.1:443', true],
  ['https://127.0.0.1', '127.0.0.1:80', false],
  ['https://[::1]', '::1:443', true],
  ['http://127.0.0.1:9', '127.0.0.1:9', true],
  ['http://127.0.0.1:9', '127.0.0.1:80', false],
])('%s is reached where %s is allowed: %s', async (endpoint, allowed, isAllowed) => {
  const settings = { ...bucket.settings, endpoint };
  const client = createBucketClient({ allowedHosts: new Set([allowed]) }, settings, BUCKET_SECRET);
  // Whatever is allowed fails in another way, because there is no bucket.
  const failure = await client.send(new ListMultipartUploadsCommand({ Bucket: 'lights' })).then(
    () => 'none',
    ({ code, message }: NodeJS.ErrnoException) => code ?? message,
  );
  client.destroy();
  expect(failure === 'PRIVATE_TARGET').toBe(!isAllowed);
});

test('a signed address names the file only where it has a name', async () => {
  const of = async (fileName?: string) =>
    new URL(await store.signAddress('k', { expiresInS: 60, ...(fileName && { fileName }) })).searchParams;
  expect((await of('é.jpg')).get('response-content-disposition')).toBe(
    "attachment; filename*=UTF-8''%C3%A9.jpg",
  );
  expect((await of()).has('response-content-disposition')).toBe(false);
});
