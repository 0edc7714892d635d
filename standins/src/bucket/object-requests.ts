import { rm } from 'node:fs/promises';
import type { IncomingMessage } from 'node:http';
import { type Readable, Transform } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { BucketError } from './bucket-error.js';
import { isNotModified, readRange, requireWritable } from './conditions.js';
import type { StoredObject } from './object-files.js';
import { type Received, readText, receiveBody } from './receive.js';
import { type BucketRequest, type BucketState, requireBucket } from './state.js';
import { buildXml, readParts } from './xml.js';

const MAX_KEY_BYTES = 1024;
/** What is kept with an object and sent with it again. */
const KEPT_HEADER =
  /^(?:content-(?:type|disposition|encoding|language)|cache-control|expires|x-amz-meta-.+|x-amz-storage-class)$/;

/** Answers requests about objects. */
export async function answerObject(
  state: BucketState,
  request: BucketRequest,
  damage: 'cut' | 'corrupt' | null,
): Promise<void> {
  const { req, target, key } = request;
  if (Buffer.byteLength(key) > MAX_KEY_BYTES)
    throw new BucketError('KeyTooLongError', 'Your key is too long.');
  const bucket = requireBucket(state, request.bucket);
  const upload = target.query.get('uploadId');
  if (req.method === 'GET' || req.method === 'HEAD') {
    if (upload !== null) return listParts(state, request, upload);
    const object = bucket.objects.get(key);
    if (!object) throw new BucketError('NoSuchKey', 'The specified key does not exist.');
    return sendObject(request, object, (range) => bucket.objects.open(object, range), damage);
  }
  if (damage === 'cut') throw new Error('cut off');
  if (req.method === 'PUT') {
    if (upload !== null) return receivePart(state, request, upload);
    return putObject(state, request, damage);
  }
  if (req.method === 'POST' && target.query.has('uploads')) return beginUpload(state, request);
  if (req.method === 'POST' && upload !== null) return completeUpload(state, request, upload);
  if (req.method !== 'DELETE') throw new BucketError('MethodNotAllowed', 'The method is not allowed here.');
  if (upload === null) await bucket.objects.delete(key);
  else await state.uploads.end(state.uploads.get(upload, request.bucket, key));
  request.res.writeHead(204).end();
}

async function sendObject(
  { req, res, target }: BucketRequest,
  object: StoredObject,
  open: (range?: { start: number; end: number }) => Readable,
  damage: 'cut' | 'corrupt' | null,
): Promise<void> {
  res.setHeader('ETag', `"${object.etag}"`);
  res.setHeader('Last-Modified', new Date(object.modifiedAt).toUTCString());
  res.setHeader('Accept-Ranges', 'bytes');
  for (const [name, value] of Object.entries(object.headers)) res.setHeader(name, value);
  for (const [name, value] of target.query)
    if (name.startsWith('response-')) res.setHeader(name.slice('response-'.length), value);
  if (isNotModified(req, object)) {
    res.writeHead(304).end();
    return;
  }
  const range = readRange(req.headers.range, object.bytes);
  if (req.headers['x-amz-checksum-mode'] === 'ENABLED' && object.sha256 !== null && !range)
    res.setHeader('x-amz-checksum-sha256', object.sha256);
  if (range) res.setHeader('Content-Range', `bytes ${range.start}-${range.end}/${object.bytes}`);
  res.setHeader('Content-Length', range ? range.end - range.start + 1 : object.bytes);
  res.statusCode = range ? 206 : 200;
  if (req.method === 'HEAD' || object.bytes === 0) res.end();
  else await pipeline(open(range ?? undefined), damaging(damage, object.bytes), res);
}

/** Changes or cuts off what passes through it. */
function damaging(damage: 'cut' | 'corrupt' | null, bytes: number): Transform {
  let passed = 0;
  return new Transform({
    transform(chunk: Buffer, _encoding, done) {
      const middle = Math.floor(bytes / 2) - passed;
      passed += chunk.length;
      if (damage === null || middle < 0 || middle >= chunk.length) return done(null, chunk);
      if (damage === 'cut') return done(new Error('cut off'));
      const changed = Buffer.from(chunk);
      changed[middle] = (changed[middle] ?? 0) ^ 0xff;
      done(null, changed);
    },
  });
}

async function putObject(
  state: BucketState,
  request: BucketRequest,
  damage: 'corrupt' | null,
): Promise<void> {
  const { req, res, key, signer } = request;
  const { objects } = requireBucket(state, request.bucket);
  requireWritable(req, objects.get(key));
  const source = req.headers['x-amz-copy-source'];
  if (source !== undefined) return copyObject(state, request, String(source));
  if (!(req.headers['content-length'] ?? req.headers['x-amz-decoded-content-length']))
    throw new BucketError('MissingContentLength', 'You must provide the Content-Length header.');
  const body = await receiveBody(req, req.headers, state.incoming, signer);
  try {
    requireWritable(req, objects.get(key));
  } catch (error) {
    await rm(body.path, { force: true });
    throw error;
  }
  const sha256 = Buffer.from(body.sha256, 'hex').toString('base64');
  const object = await objects.put(key, body, { etag: body.md5, sha256, ...describe(req) });
  if (damage === 'corrupt') await objects.corrupt(key);
  res.writeHead(200, { ETag: `"${object.etag}"`, 'x-amz-checksum-sha256': sha256 }).end();
}

async function copyObject(state: BucketState, { req, res, bucket, key }: BucketRequest, source: string) {
  const { objects: from, object } = findSource(state, source);
  const copied = await receiveBody(from.open(object), {}, state.incoming, null);
  const replaces = req.headers['x-amz-metadata-directive'] === 'REPLACE';
  const { etag, modifiedAt } = await requireBucket(state, bucket).objects.put(key, copied, {
    ...{ etag: object.etag, sha256: object.sha256 },
    ...(replaces ? describe(req) : { headers: object.headers, isPublic: describe(req).isPublic }),
  });
  const xml = buildXml('CopyObjectResult', { LastModified: modifiedAt, ETag: `"${etag}"` });
  res.writeHead(200, { 'Content-Type': 'application/xml' }).end(xml);
}

/** What a request says about the object that it puts. */
function describe(req: IncomingMessage): Pick<StoredObject, 'headers' | 'isPublic'> {
  const headers = Object.entries(req.headers).filter(([name]) => KEPT_HEADER.test(name));
  return {
    headers: Object.fromEntries(headers.map(([name, value]) => [name, withoutFraming(name, String(value))])),
    isPublic: req.headers['x-amz-acl'] === 'public-read',
  };
}

/** The framing of a body in chunks is no encoding of the object. */
function withoutFraming(name: string, value: string): string {
  return name === 'content-encoding' ? value.replace(/^aws-chunked,?\s*/, '') : value;
}

function beginUpload(state: BucketState, { req, res, bucket, key }: BucketRequest): void {
  const { id } = state.uploads.begin(bucket, key, describe(req));
  const xml = buildXml('InitiateMultipartUploadResult', { Bucket: bucket, Key: key, UploadId: id });
  res.writeHead(200, { 'Content-Type': 'application/xml' }).end(xml);
}

async function receivePart(
  state: BucketState,
  { req, res, target, bucket, key, signer }: BucketRequest,
  id: string,
): Promise<void> {
  state.uploads.get(id, bucket, key);
  const source = req.headers['x-amz-copy-source'];
  const part =
    source === undefined
      ? await receiveBody(req, req.headers, state.incoming, signer)
      : await copyPart(state, String(source), req.headers['x-amz-copy-source-range']?.toString());
  const upload = state.uploads.get(id, bucket, key);
  await state.uploads.addPart(upload, Number(target.query.get('partNumber')), part);
  if (source === undefined) {
    const sha256 = Buffer.from(part.sha256, 'hex').toString('base64');
    res.writeHead(200, { ETag: `"${part.md5}"`, 'x-amz-checksum-sha256': sha256 }).end();
    return;
  }
  const xml = buildXml('CopyPartResult', { LastModified: new Date().toISOString(), ETag: `"${part.md5}"` });
  res.writeHead(200, { 'Content-Type': 'application/xml' }).end(xml);
}

async function copyPart(state: BucketState, source: string, range: string | undefined): Promise<Received> {
  const { objects, object } = findSource(state, source);
  const part = readRange(range, object.bytes) ?? undefined;
  return receiveBody(objects.open(object, part), {}, state.incoming, null);
}

/** @throws BucketError when there is no such object to copy */
function findSource(state: BucketState, source: string) {
  const [name = '', ...rest] = source.replace(/^\//, '').split('/').map(decodeURIComponent);
  const { objects } = requireBucket(state, name);
  const object = objects.get(rest.join('/'));
  if (!object) throw new BucketError('NoSuchKey', 'The specified key does not exist.');
  return { objects, object };
}

async function completeUpload(
  state: BucketState,
  { req, res, bucket, key, signer }: BucketRequest,
  id: string,
) {
  const upload = state.uploads.get(id, bucket, key);
  const { objects } = requireBucket(state, bucket);
  requireWritable(req, objects.get(key));
  const { body, etag } = await state.uploads.assemble(
    upload,
    readParts(await readText(req, signer)),
    state.incoming,
  );
  await objects.put(key, body, { etag, sha256: null, ...upload.about });
  await state.uploads.end(upload);
  const xml = buildXml('CompleteMultipartUploadResult', { Bucket: bucket, Key: key, ETag: `"${etag}"` });
  res.writeHead(200, { 'Content-Type': 'application/xml' }).end(xml);
}

function listParts(state: BucketState, { res, bucket, key }: BucketRequest, id: string): void {
  const upload = state.uploads.get(id, bucket, key);
  const parts = [...upload.parts].sort(([a], [b]) => a - b);
  const xml = buildXml('ListPartsResult', {
    ...{ Bucket: bucket, Key: key, UploadId: id, IsTruncated: false },
    Part: parts.map(([PartNumber, { md5, bytes }]) => ({ PartNumber, ETag: `"${md5}"`, Size: bytes })),
  });
  res.writeHead(200, { 'Content-Type': 'application/xml' }).end(xml);
}
