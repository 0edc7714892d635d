import { randomBytes } from 'node:crypto';
import { mkdtemp, readdir, rm } from 'node:fs/promises';
import type { AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Readable } from 'node:stream';
import { buffer, text } from 'node:stream/consumers';
import {
  AbortMultipartUploadCommand,
  CompleteMultipartUploadCommand,
  CopyObjectCommand,
  CreateMultipartUploadCommand,
  DeleteObjectCommand,
  DeleteObjectsCommand,
  GetObjectCommand,
  HeadObjectCommand,
  ListMultipartUploadsCommand,
  ListObjectsV2Command,
  PutObjectCommand,
  S3Client,
  type S3ClientConfig,
  UploadPartCommand,
} from '@aws-sdk/client-s3';
import { getSignedUrl } from '@aws-sdk/s3-request-presigner';
import { Client } from 'minio';
import { afterEach, beforeEach, expect, test } from 'vitest';
import { type BucketServer, createBucketServer } from './bucket-server.js';

const ACCOUNT = { accessKey: 'keeper', secret: 'lamp-and-lens' };
const READER = { accessKey: 'visitor', secret: 'only-looking', isReadOnly: true };
const Bucket = 'lights';

let folder: string;
let bucket: BucketServer;
let port: number;
let now: Date | null;
let client: S3Client;

function connect(options: Partial<S3ClientConfig> = {}): S3Client {
  return new S3Client({
    endpoint: `http://127.0.0.1:${port}`,
    region: 'farrow-1',
    forcePathStyle: true,
    maxAttempts: 1,
    credentials: { accessKeyId: ACCOUNT.accessKey, secretAccessKey: ACCOUNT.secret },
    ...options,
  });
}

beforeEach(async () => {
  folder = await mkdtemp(join(tmpdir(), 'uniferum-bucket-'));
  now = null;
  bucket = createBucketServer({
    folder,
    accounts: [ACCOUNT, READER],
    buckets: [Bucket],
    publicBuckets: ['open'],
    now: () => now ?? new Date(),
  });
  await new Promise<void>((done) => bucket.server.listen(0, '127.0.0.1', done));
  port = (bucket.server.address() as AddressInfo).port;
  client = connect();
});

afterEach(async () => {
  client.destroy();
  bucket.server.closeAllConnections();
  await new Promise((done) => bucket.server.close(done));
  await rm(folder, { recursive: true });
});

const put = (Key: string, Body: string | Buffer = Key, more = {}) =>
  client.send(new PutObjectCommand({ Bucket, Key, Body, ...more }));
const read = async (Key: string, more = {}) => {
  const { Body, ...about } = await client.send(new GetObjectCommand({ Bucket, Key, ...more }));
  return { ...about, text: await text(Body as Readable) };
};
const keysOf = async (more = {}) => {
  const { Contents = [] } = await client.send(new ListObjectsV2Command({ Bucket, ...more }));
  return Contents.map(({ Key }) => Key);
};

// RFC 3986 reserves some of these; others are what people have in file names.
const ODD_KEYS = [
  'a b/c+d.txt',
  'é/ñ~tilde.txt',
  'quote"and\'apostrophe.txt',
  "(brackets)!*'.txt",
  'per%20cent%.txt',
  'hash#question?amp&.txt',
  'double//slash/',
  'dot/../dot',
  '🗼/灯台.jpg',
  `long/${'x'.repeat(900)}`,
];

test.each(ODD_KEYS)('the standard client writes, reads, lists and deletes the key %s', async (Key) => {
  await put(Key, 'light', { ContentType: 'text/plain', CacheControl: 'max-age=60', Metadata: { name: 'n' } });
  expect(await read(Key)).toMatchObject({
    text: 'light',
    ContentType: 'text/plain',
    CacheControl: 'max-age=60',
    Metadata: { name: 'n' },
  });
  expect(await keysOf()).toEqual([Key]);
  await client.send(new DeleteObjectCommand({ Bucket, Key }));
  expect(await keysOf()).toEqual([]);
});

test('a second, independent client can do the same', async () => {
  const other = new Client({
    ...{ endPoint: '127.0.0.1', port, useSSL: false, region: 'farrow-1', pathStyle: true },
    ...{ accessKey: ACCOUNT.accessKey, secretKey: ACCOUNT.secret },
  });
  const large = randomBytes(12 * 1024 * 1024);
  await other.putObject(Bucket, 'a b/é+.bin', Buffer.from('small'));
  await other.putObject(Bucket, 'large.bin', Readable.from([large]), large.length);
  // Not by `toEqual`, which takes minutes.
  expect(large.equals(await buffer(await other.getObject(Bucket, 'large.bin')))).toBe(true);
  expect(await text(await other.getPartialObject(Bucket, 'a b/é+.bin', 1, 3))).toBe('mal');
  expect((await other.statObject(Bucket, 'large.bin')).size).toBe(large.length);
  const names: (string | undefined)[] = [];
  for await (const object of other.listObjectsV2(Bucket, '', true)) names.push(object.name);
  expect(names).toEqual(['a b/é+.bin', 'large.bin']);
  const address = await other.presignedGetObject(Bucket, 'a b/é+.bin', 60);
  expect(await (await fetch(address)).text()).toBe('small');
  await other.removeObject(Bucket, 'large.bin');
  expect(await keysOf()).toEqual(['a b/é+.bin']);
});

test.each([
  ['a wrong secret', { secretAccessKey: 'wrong' }, 'SignatureDoesNotMatch'],
  ['an unknown key', { accessKeyId: 'nobody' }, 'InvalidAccessKeyId'],
])('%s is refused', async (_what, wrong, code) => {
  const credentials = { accessKeyId: ACCOUNT.accessKey, secretAccessKey: ACCOUNT.secret, ...wrong };
  const stranger = connect({ credentials });
  await expect(stranger.send(new ListObjectsV2Command({ Bucket }))).rejects.toMatchObject({ Code: code });
  await expect(stranger.send(new PutObjectCommand({ Bucket, Key: 'k', Body: 'x' }))).rejects.toMatchObject({
    Code: code,
  });
  expect(await keysOf()).toEqual([]);
});

test('a wrong region, a clock that is 16 minutes off and an unsigned request are refused', async () => {
  const elsewhere = connect({ region: 'farrow-2' });
  await expect(elsewhere.send(new ListObjectsV2Command({ Bucket }))).rejects.toMatchObject({
    Code: 'AuthorizationHeaderMalformed',
  });
  now = new Date(Date.now() + 16 * 60_000);
  // The client adjusts its clock to the answer's, and would be wrong afterwards.
  const late = connect();
  await expect(late.send(new ListObjectsV2Command({ Bucket }))).rejects.toMatchObject({
    Code: 'RequestTimeTooSkewed',
  });
  now = null;
  await put('k');
  expect((await fetch(`http://127.0.0.1:${port}/${Bucket}/k`)).status).toBe(403);
});

test('a body that is not the signed one is refused, and what was there stays', async () => {
  await put('k', 'before');
  const changing = connect();
  // The middleware runs after the signature was made.
  changing.middlewareStack.add(
    (next) => (args) => {
      (args.request as { body: string }).body = 'AFTER!';
      return next(args);
    },
    { step: 'finalizeRequest', priority: 'low' },
  );
  await expect(
    changing.send(new PutObjectCommand({ Bucket, Key: 'k', Body: 'after!' })),
  ).rejects.toMatchObject({ Code: 'XAmzContentSHA256Mismatch' });
  expect((await read('k')).text).toBe('before');
  expect(await readdir(join(folder, 'incoming'))).toEqual([]);
});

test("a checksum that is not the body's is refused", async () => {
  await expect(
    put('k', 'light', { ChecksumSHA256: Buffer.alloc(32).toString('base64') }),
  ).rejects.toMatchObject({ Code: 'BadDigest' });
  await expect(put('k', 'light', { ContentMD5: Buffer.alloc(16).toString('base64') })).rejects.toMatchObject({
    Code: 'BadDigest',
  });
});

test('a streamed body with a checksum behind it is decoded and verified', async () => {
  await put('k', Readable.from([Buffer.from('fog'), Buffer.from('horn')]) as never, { ContentLength: 7 });
  expect((await read('k')).text).toBe('foghorn');
});

test('somebody who may only read changes nothing', async () => {
  await put('k');
  const reader = connect({
    credentials: { accessKeyId: READER.accessKey, secretAccessKey: READER.secret },
  });
  await expect(reader.send(new DeleteObjectCommand({ Bucket, Key: 'k' }))).rejects.toMatchObject({
    Code: 'AccessDenied',
  });
  expect((await reader.send(new HeadObjectCommand({ Bucket, Key: 'k' }))).ContentLength).toBe(1);
});

test('conditions and ranges are those of RFC 9110', async () => {
  const { ETag } = await put('k', '0123456789');
  expect((await read('k', { Range: 'bytes=2-4' })).text).toBe('234');
  expect((await read('k', { Range: 'bytes=-3' })).text).toBe('789');
  expect((await read('k', { Range: 'bytes=7-' })).ContentRange).toBe('bytes 7-9/10');
  await expect(read('k', { Range: 'bytes=10-' })).rejects.toMatchObject({ Code: 'InvalidRange' });
  await expect(read('k', { IfNoneMatch: ETag })).rejects.toMatchObject({
    $metadata: { httpStatusCode: 304 },
  });
  await expect(read('k', { IfMatch: '"other"' })).rejects.toMatchObject({ Code: 'PreconditionFailed' });
  await expect(put('k', 'other', { IfNoneMatch: '*' })).rejects.toMatchObject({ Code: 'PreconditionFailed' });
  await expect(put('new', 'x', { IfNoneMatch: '*' })).resolves.toBeDefined();
  await expect(put('k', 'other', { IfMatch: ETag })).resolves.toBeDefined();
});

test('a list has pages, prefixes and the order of UTF-8 bytes', async () => {
  for (const key of ['b/2', 'a/1', '\u{10000}', '\uffee', 'b/1', 'c']) await put(key);
  expect(await keysOf()).toEqual(['a/1', 'b/1', 'b/2', 'c', '\uffee', '\u{10000}']);
  const first = await client.send(new ListObjectsV2Command({ Bucket, MaxKeys: 2 }));
  expect(first).toMatchObject({ IsTruncated: true, KeyCount: 2 });
  expect(await keysOf({ ContinuationToken: first.NextContinuationToken, MaxKeys: 1 })).toEqual(['b/2']);
  expect(await keysOf({ StartAfter: 'b/2', Prefix: 'b' })).toEqual([]);
  const folders = await client.send(new ListObjectsV2Command({ Bucket, Delimiter: '/' }));
  expect(folders.CommonPrefixes?.map(({ Prefix }) => Prefix)).toEqual(['a/', 'b/']);
  expect(folders.Contents?.map(({ Key }) => Key)).toEqual(['c', '\uffee', '\u{10000}']);
});

test('objects are copied, and deleted together', async () => {
  await put('a é', 'light', { ContentType: 'text/plain' });
  await client.send(
    new CopyObjectCommand({ Bucket, Key: 'b', CopySource: `${Bucket}/${encodeURIComponent('a é')}` }),
  );
  expect(await read('b')).toMatchObject({ text: 'light', ContentType: 'text/plain' });
  await client.send(
    new DeleteObjectsCommand({ Bucket, Delete: { Objects: [{ Key: 'a é' }, { Key: 'missing' }] } }),
  );
  expect(await keysOf()).toEqual(['b']);
});

test('an upload in parts is put together, or leaves nothing', async () => {
  const Key = 'film.mp4';
  const begin = () =>
    client.send(new CreateMultipartUploadCommand({ Bucket, Key, ContentType: 'video/mp4' }));
  const send = (UploadId: string | undefined, PartNumber: number, Body: Buffer) =>
    client.send(new UploadPartCommand({ Bucket, Key, UploadId, PartNumber, Body }));
  const [first, second] = [randomBytes(5 * 1024 * 1024), randomBytes(1000)];
  const { UploadId } = await begin();
  const parts = [await send(UploadId, 1, first), await send(UploadId, 2, second)];
  const complete = (numbers: number[]) =>
    client.send(
      new CompleteMultipartUploadCommand({
        ...{ Bucket, Key, UploadId },
        MultipartUpload: {
          Parts: numbers.map((PartNumber) => ({ PartNumber, ETag: parts[PartNumber - 1]?.ETag ?? '"none"' })),
        },
      }),
    );
  await expect(complete([2, 1])).rejects.toMatchObject({ Code: 'EntityTooSmall' });
  await expect(complete([1, 3])).rejects.toMatchObject({ Code: 'InvalidPart' });
  expect((await complete([1, 2])).ETag).toMatch(/^"[0-9a-f]{32}-2"$/);
  const { Body, ContentType } = await client.send(new GetObjectCommand({ Bucket, Key }));
  expect(Buffer.concat([first, second]).equals(await buffer(Body as Readable))).toBe(true);
  expect(ContentType).toBe('video/mp4');

  const left = await begin();
  await send(left.UploadId, 1, first);
  const open = await client.send(new ListMultipartUploadsCommand({ Bucket }));
  expect(open.Uploads?.map((upload) => upload.UploadId)).toEqual([left.UploadId]);
  await client.send(new AbortMultipartUploadCommand({ Bucket, Key, UploadId: left.UploadId }));
  await expect(send(left.UploadId, 2, second)).rejects.toMatchObject({ Code: 'NoSuchUpload' });
  expect(await readdir(join(folder, 'incoming'))).toEqual([]);
});

test('an address that is signed expires, and fits one key and method', async () => {
  await put('k', 'light');
  const address = await getSignedUrl(client, new GetObjectCommand({ Bucket, Key: 'k' }), { expiresIn: 60 });
  expect(await (await fetch(address)).text()).toBe('light');
  expect((await fetch(address.replace('/k?', '/other?'))).status).toBe(403);
  expect((await fetch(address, { method: 'DELETE' })).status).toBe(403);
  now = new Date(Date.now() + 61_000);
  expect((await fetch(address)).status).toBe(403);
});

test('a public bucket is read by anybody and written by nobody else', async () => {
  await client.send(new PutObjectCommand({ Bucket: 'open', Key: 'k', Body: 'light' }));
  const at = `http://127.0.0.1:${port}/open/k`;
  expect(await (await fetch(at)).text()).toBe('light');
  expect((await fetch(at, { method: 'PUT', body: 'x' })).status).toBe(403);
  expect((await fetch(`http://127.0.0.1:${port}/open`)).status).toBe(403);
});

test('faults happen on demand', async () => {
  await put('k', '0123456789');
  bucket.setFaults([{ kind: 'busy', times: 1, retryAfterS: 7 }]);
  const busy = await fetch(await getSignedUrl(client, new GetObjectCommand({ Bucket, Key: 'k' })));
  expect([busy.status, busy.headers.get('retry-after')]).toEqual([503, '7']);
  expect((await read('k')).text).toBe('0123456789');
  bucket.setFaults([{ kind: 'corrupt', method: 'GET', key: 'k' }]);
  await expect(read('k')).rejects.toThrow('Checksum mismatch');
  bucket.setFaults([{ kind: 'cut', method: 'GET' }]);
  await expect(read('k')).rejects.toThrow();
  bucket.setFaults([{ kind: 'deny', key: 'other' }]);
  expect((await read('k')).text).toBe('0123456789');
  await expect(put('other')).rejects.toMatchObject({ Code: 'AccessDenied' });
  await fetch(`http://127.0.0.1:${port}/-/faults`, { method: 'PUT', body: '[]' });
  await expect(put('other')).resolves.toBeDefined();
});

test('objects are there after a restart', async () => {
  await put('é/k', 'light');
  const again = createBucketServer({ folder, accounts: [ACCOUNT] });
  expect(again.state.buckets.get(Bucket)?.objects.get('é/k')).toMatchObject({ bytes: 5 });
});
