import { createHash } from 'node:crypto';
import { buffer } from 'node:stream/consumers';
import {
  AbortMultipartUploadCommand,
  type CompletedPart,
  CompleteMultipartUploadCommand,
  CreateMultipartUploadCommand,
  HeadObjectCommand,
  ListMultipartUploadsCommand,
  type MultipartUpload,
  UploadPartCommand,
  UploadPartCopyCommand,
} from '@aws-sdk/client-s3';
import { objectAddress } from '@uniferum/core/connections';
import type { CopySource, ObjectFacts } from '../shared/copy-store.js';
import { UniferumError } from '../shared/errors.js';
import { sha256Of } from '../shared/sha256.js';
import { abortable, type BucketCalls, unquote } from './bucket-calls.js';
import { withDigest } from './bucket-digest.js';
import { damagedSource } from './copy-checks.js';

/** Objects larger than this are sent in parts of at least this size. */
export const PART_BYTES = 8 * 1024 * 1024;
/** So many parts an upload may have. Source: the common bucket interface. */
const MAX_PARTS = 10_000;
/** Parts in memory and on their way. */
const AT_ONCE = 4;

interface PartsUpload {
  key: string;
  source: CopySource;
  about: { ContentType: string; CacheControl?: string };
  store: string;
  signal: AbortSignal | undefined;
}

/**
 * Sends a large object in parts. Parts are read one after another, so that the whole can be hashed, and sent several
 * at once; memory does not depend on the size.
 */
export async function putInParts(calls: BucketCalls, upload: PartsUpload): Promise<ObjectFacts> {
  const { key, source, about, signal } = upload;
  const etag = await inParts(calls, { key, about, bytes: source.bytes, signal }, (target) =>
    sendParts(calls, upload, target),
  );
  return { key, bytes: source.bytes, etag, modifiedAt: new Date() };
}

/** Copies an object too large to be copied at once to another key. */
export async function copyInParts(
  calls: BucketCalls,
  {
    from,
    to,
    bytes,
    partBytes,
    about,
    signal,
  }: {
    from: string;
    to: string;
    bytes: number;
    partBytes: number;
    about: PartsUpload['about'];
    signal: AbortSignal | undefined;
  },
): Promise<void> {
  const { bucket, prefix } = calls.settings;
  const CopySource = objectAddress(bucket, prefix + from);
  await inParts(calls, { key: to, about, bytes, signal }, async (target) => {
    const parts: CompletedPart[] = [];
    for (let start = 0; start < bytes; start += partBytes) {
      const CopySourceRange = `bytes=${start}-${Math.min(start + partBytes, bytes) - 1}`;
      const PartNumber = parts.length + 1;
      const { CopyPartResult } = await calls.call(from, signal, () =>
        calls.client.send(
          new UploadPartCopyCommand({ ...target, PartNumber, CopySource, CopySourceRange }),
          abortable(signal),
        ),
      );
      parts.push({ PartNumber, ETag: CopyPartResult?.ETag });
    }
    return parts;
  });
}

interface PartsTarget {
  Bucket: string;
  Key: string;
  UploadId: string | undefined;
}

/**
 * Puts an object together from parts. An upload that fails is aborted, so that no parts are left to pay for.
 *
 * @returns its entity tag
 */
async function inParts(
  calls: BucketCalls,
  { key, about, bytes, signal }: Pick<PartsUpload, 'key' | 'about' | 'signal'> & { bytes: number },
  send: (target: PartsTarget) => Promise<CompletedPart[]>,
): Promise<string> {
  const place = { Bucket: calls.settings.bucket, Key: calls.settings.prefix + key };
  const { UploadId } = await calls.call(key, signal, () =>
    calls.client.send(new CreateMultipartUploadCommand({ ...place, ...about }), abortable(signal)),
  );
  const target = { ...place, UploadId };
  try {
    const parts = await send(target);
    return await complete(calls, { key, target, parts, bytes, signal });
  } catch (error) {
    // Not with the signal, which may be what ended it.
    await calls
      .call(key, undefined, () => calls.client.send(new AbortMultipartUploadCommand(target)))
      .catch(() => {
        // The sweep aborts what is left.
      });
    throw error;
  }
}

interface Completion {
  key: string;
  target: PartsTarget;
  parts: CompletedPart[];
  bytes: number;
  signal: AbortSignal | undefined;
}

/** Completes an upload. When the answer is lost, a repetition finds no upload any more, and the object in its place. */
async function complete(
  calls: BucketCalls,
  { key, target, parts, bytes, signal }: Completion,
): Promise<string> {
  try {
    const { ETag } = await calls.call(key, signal, () =>
      calls.client.send(
        new CompleteMultipartUploadCommand({ ...target, MultipartUpload: { Parts: parts } }),
        abortable(signal),
      ),
    );
    return unquote(ETag);
  } catch (error) {
    if (!(error instanceof UniferumError && error.code === 'not-found')) throw error;
    const { Bucket, Key } = target;
    const there = await calls.call(key, signal, () =>
      calls.client.send(new HeadObjectCommand({ Bucket, Key }), abortable(signal)),
    );
    // The number of parts is in the tag of an object that was put together.
    const tag = unquote(there.ETag);
    if (there.ContentLength !== bytes || !tag.endsWith(`-${parts.length}`)) throw error;
    return tag;
  }
}

async function sendParts(
  calls: BucketCalls,
  { key, source, store, signal }: PartsUpload,
  target: PartsTarget,
): Promise<CompletedPart[]> {
  const partBytes = Math.max(PART_BYTES, Math.ceil(source.bytes / MAX_PARTS));
  const whole = createHash('sha256');
  const parts: CompletedPart[] = [];
  const sending = new Set<Promise<void>>();
  let failure: { error: unknown } | null = null;
  const send = async (PartNumber: number, body: Buffer) => {
    const sha256 = sha256Of(body);
    const { ETag } = await calls.call(key, signal, () =>
      calls.client.send(
        withDigest(new UploadPartCommand({ ...target, PartNumber, Body: body }), sha256),
        abortable(signal),
      ),
    );
    parts[PartNumber - 1] = { PartNumber, ETag };
  };
  try {
    for (
      let start = 0, number = 1;
      start < source.bytes && failure === null;
      start += partBytes, number += 1
    ) {
      const end = Math.min(start + partBytes, source.bytes) - 1;
      const body = await buffer(await source.open({ start, end }));
      whole.update(body);
      const sent: Promise<void> = send(number, body)
        .catch((error) => {
          failure ??= { error };
        })
        .finally(() => sending.delete(sent));
      sending.add(sent);
      if (sending.size >= AT_ONCE) await Promise.race(sending);
    }
  } finally {
    // Parts that arrive after the upload was aborted would stay.
    await Promise.all(sending);
  }
  if (failure !== null) throw (failure as { error: unknown }).error;
  if (whole.digest('hex') !== source.sha256) throw damagedSource(key, store);
  return parts;
}

/** Aborts uploads that a dead process left: their parts are stored, and nobody sees them. */
export async function abortUnfinished(calls: BucketCalls, minAgeMs: number): Promise<number> {
  const { bucket: Bucket, prefix: Prefix } = calls.settings;
  let aborted = 0;
  for await (const uploads of listUnfinished(calls)) {
    // Some stores ignore the prefix, and other uploads are not ours to end.
    const abandoned = uploads.filter(
      ({ Key, Initiated }) =>
        Key?.startsWith(Prefix) && Date.now() - (Initiated?.getTime() ?? Date.now()) >= minAgeMs,
    );
    for (const { Key, UploadId } of abandoned)
      await calls.call(Key ?? null, undefined, () =>
        calls.client.send(new AbortMultipartUploadCommand({ Bucket, Key, UploadId })),
      );
    aborted += abandoned.length;
  }
  return aborted;
}

async function* listUnfinished(calls: BucketCalls): AsyncGenerator<MultipartUpload[]> {
  const { bucket: Bucket, prefix: Prefix } = calls.settings;
  let from: { KeyMarker?: string | undefined; UploadIdMarker?: string | undefined } | null = {};
  while (from !== null) {
    const command: ListMultipartUploadsCommand = new ListMultipartUploadsCommand({ Bucket, Prefix, ...from });
    const page = await calls.call(null, undefined, () => calls.client.send(command));
    yield page.Uploads ?? [];
    from =
      page.IsTruncated && page.NextKeyMarker !== undefined
        ? { KeyMarker: page.NextKeyMarker, UploadIdMarker: page.NextUploadIdMarker }
        : null;
  }
}
