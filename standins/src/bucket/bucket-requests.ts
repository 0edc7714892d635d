import { rm } from 'node:fs/promises';
import { join } from 'node:path';
import { BucketError } from './bucket-error.js';
import { ObjectFiles, type StoredObject } from './object-files.js';
import { readText } from './receive.js';
import { encodeUri } from './signature.js';
import { type Bucket, type BucketRequest, type BucketState, requireBucket } from './state.js';
import { buildXml, readKeys } from './xml.js';

const NAME = /^[a-z0-9][a-z0-9.-]{1,61}[a-z0-9]$/;
const MAX_LISTED = 1000;

/** Answers requests about buckets. */
export async function answerBucket(state: BucketState, request: BucketRequest): Promise<void> {
  const { req, res, target, bucket: name } = request;
  if (name === '') return send(request, listBuckets(state));
  if (req.method === 'PUT') {
    await createBucket(state, name);
    res.writeHead(200, { Location: `/${name}` }).end();
    return;
  }
  const bucket = requireBucket(state, name);
  if (req.method === 'HEAD') res.writeHead(200, { 'x-amz-bucket-region': state.region }).end();
  else if (req.method === 'POST' && target.query.has('delete'))
    send(request, await deleteTogether(request, bucket));
  else if (req.method === 'DELETE') {
    if (bucket.objects.size > 0) throw new BucketError('InvalidArgument', 'The bucket is not empty.');
    state.buckets.delete(name);
    await rm(join(state.folder, name), { recursive: true, force: true });
    res.writeHead(204).end();
  } else if (req.method !== 'GET')
    throw new BucketError('MethodNotAllowed', 'The method is not allowed here.');
  else if (target.query.has('location'))
    send(request, buildXml('LocationConstraint', { '#text': state.region }));
  else if (target.query.has('uploads')) send(request, listUploads(state, name, target.query));
  else send(request, listObjects(bucket, target.query));
}

function send({ res }: BucketRequest, xml: string): void {
  res
    .writeHead(200, { 'Content-Type': 'application/xml', 'Content-Length': Buffer.byteLength(xml) })
    .end(xml);
}

function listBuckets({ buckets }: BucketState): string {
  return buildXml('ListAllMyBucketsResult', {
    Owner: { ID: 'farrow', DisplayName: 'farrow' },
    Buckets: {
      Bucket: [...buckets.values()].map(({ name, createdAt }) => ({ Name: name, CreationDate: createdAt })),
    },
  });
}

async function createBucket(state: BucketState, name: string): Promise<void> {
  if (!NAME.test(name) || name === 'incoming')
    throw new BucketError(
      'InvalidArgument',
      'The name of a bucket has 3 to 63 small letters, digits, dots and hyphens.',
    );
  if (state.buckets.has(name)) throw new BucketError('BucketAlreadyOwnedByYou', 'The bucket exists already.');
  const objects = new ObjectFiles(join(state.folder, name));
  state.buckets.set(name, { name, isPublic: false, createdAt: new Date().toISOString(), objects });
}

/** Lists keys, in either version of the request: pages by continuation token, or by marker. */
function listObjects({ name, objects }: Bucket, query: URLSearchParams): string {
  const isSecond = query.get('list-type') === '2';
  const prefix = query.get('prefix') ?? '';
  const delimiter = query.get('delimiter') ?? '';
  const most = Math.min(Number(query.get('max-keys') ?? MAX_LISTED), MAX_LISTED);
  const encode = query.get('encoding-type') === 'url' ? encodeKey : (key: string) => key;
  const token = query.get('continuation-token');
  const after =
    token === null
      ? (query.get(isSecond ? 'start-after' : 'marker') ?? '')
      : Buffer.from(token, 'base64url').toString();
  const page = readPage(objects, { prefix, delimiter, most, after });
  const next = page.isWhole ? {} : { NextContinuationToken: Buffer.from(page.last).toString('base64url') };
  return buildXml('ListBucketResult', {
    Name: name,
    Prefix: encode(prefix),
    ...(isSecond
      ? { KeyCount: page.objects.length + page.prefixes.length, ...next }
      : { Marker: encode(after), ...(page.isWhole ? {} : { NextMarker: encode(page.last) }) }),
    MaxKeys: most,
    ...(delimiter === '' ? {} : { Delimiter: encode(delimiter) }),
    ...(query.has('encoding-type') ? { EncodingType: 'url' } : {}),
    IsTruncated: !page.isWhole,
    Contents: page.objects.map(({ key, bytes, etag, modifiedAt }) => ({
      ...{ Key: encode(key), LastModified: modifiedAt, ETag: `"${etag}"`, Size: bytes },
      StorageClass: 'STANDARD',
    })),
    CommonPrefixes: page.prefixes.map((one) => ({ Prefix: encode(one) })),
  });
}

function readPage(
  objects: ObjectFiles,
  { prefix, delimiter, most, after }: { prefix: string; delimiter: string; most: number; after: string },
) {
  const page = { objects: [] as StoredObject[], prefixes: [] as string[], last: after, isWhole: true };
  for (const object of objects.list(prefix, after)) {
    const end = delimiter === '' ? -1 : object.key.indexOf(delimiter, prefix.length);
    const common = end < 0 ? null : object.key.slice(0, end + delimiter.length);
    if (common !== null && (page.prefixes.at(-1) === common || after.startsWith(common))) {
      page.last = object.key;
      continue;
    }
    if (page.objects.length + page.prefixes.length >= most) {
      page.isWhole = false;
      break;
    }
    if (common === null) page.objects.push(object);
    else page.prefixes.push(common);
    page.last = object.key;
  }
  return page;
}

function encodeKey(key: string): string {
  return key.split('/').map(encodeUri).join('/');
}

async function deleteTogether({ req, signer }: BucketRequest, { objects }: Bucket): Promise<string> {
  const keys = readKeys(await readText(req, signer));
  for (const key of keys) await objects.delete(key);
  return buildXml('DeleteResult', { Deleted: keys.map((Key) => ({ Key })) });
}

/** Lists uploads by key, then in the order in which they began. It ignores the prefix, as some stores do. */
function listUploads({ uploads }: BucketState, bucket: string, query: URLSearchParams): string {
  const most = Math.min(Number(query.get('max-uploads') ?? MAX_LISTED), MAX_LISTED);
  const [key, id] = [query.get('key-marker') ?? '', query.get('upload-id-marker')];
  const all = uploads.list(bucket).sort((a, b) => Buffer.compare(Buffer.from(a.key), Buffer.from(b.key)));
  const last = id === null ? -1 : all.findIndex((upload) => upload.key === key && upload.id === id);
  const rest = last >= 0 ? all.slice(last + 1) : all.filter((upload) => upload.key > key);
  const page = rest.slice(0, most);
  const end = page.at(-1);
  return buildXml('ListMultipartUploadsResult', {
    Bucket: bucket,
    IsTruncated: rest.length > page.length,
    ...(end && rest.length > page.length && { NextKeyMarker: end.key, NextUploadIdMarker: end.id }),
    Upload: page.map((upload) => ({
      ...{ Key: upload.key, UploadId: upload.id, Initiated: upload.startedAt },
    })),
  });
}
