import type { Readable } from 'node:stream';
import { buffer } from 'node:stream/consumers';
import {
  CopyObjectCommand,
  DeleteObjectCommand,
  GetObjectCommand,
  HeadObjectCommand,
  ListObjectsV2Command,
  PutObjectCommand,
  type S3Client,
} from '@aws-sdk/client-s3';
import { getSignedUrl } from '@aws-sdk/s3-request-presigner';
import { type BucketSettings, objectAddress } from '@uniferum/core/connections';
import type {
  ByteRange,
  CallOptions,
  CopyCapability,
  CopySource,
  CopyStore,
  ObjectFacts,
  ObjectHeaders,
} from '../shared/copy-store.js';
import { abortable, type BucketCalls, bucketCalls, unquote } from './bucket-calls.js';
import { withDigest } from './bucket-digest.js';
import { codeOfBucketError } from './bucket-faults.js';
import { abortUnfinished, copyInParts, PART_BYTES, putInParts } from './bucket-parts.js';
import { damagedSource } from './copy-checks.js';
import { hashWhole } from './hash-file.js';

/** Larger objects are copied in parts. Source: the common bucket interface. */
const COPIED_AT_ONCE_BYTES = 5 * 1024 ** 3;
const COPIED_PART_BYTES = 1024 ** 3;

/** A bucket with the common interface, as a store of copies. */
export class BucketStore implements CopyStore {
  readonly name: string;
  readonly capabilities: ReadonlySet<CopyCapability>;
  readonly #calls: BucketCalls;

  constructor(name: string, settings: BucketSettings, client: S3Client) {
    this.name = name;
    this.capabilities = new Set<CopyCapability>([
      'signed-addresses',
      'copy-within',
      ...(settings.publicUrl === null ? [] : (['public-addresses'] as const)),
    ]);
    this.#calls = bucketCalls(name, settings, client);
  }

  async put(
    key: string,
    source: CopySource,
    { mime, cacheControl }: ObjectHeaders,
    { signal }: CallOptions = {},
  ): Promise<ObjectFacts> {
    const about = { ContentType: mime, ...(cacheControl !== undefined && { CacheControl: cacheControl }) };
    if (source.bytes > PART_BYTES)
      return putInParts(this.#calls, { key, source, about, store: this.name, signal });
    const body = await buffer(await source.open());
    // Not every store compares what arrives with the signed digest.
    if ((await hashWhole(body)).sha256 !== source.sha256) throw damagedSource(key, this.name);
    const answer = await this.#calls.call(key, signal, () =>
      this.#calls.client.send(
        withDigest(
          new PutObjectCommand({
            ...{ ...this.#place(key), ...about, Body: body },
            ChecksumSHA256: Buffer.from(source.sha256, 'hex').toString('base64'),
          }),
          source.sha256,
        ),
        abortable(signal),
      ),
    );
    return { key, bytes: source.bytes, etag: unquote(answer.ETag), modifiedAt: new Date() };
  }

  async open(key: string, { range, signal }: CallOptions & { range?: ByteRange } = {}): Promise<Readable> {
    const Range = range && `bytes=${range.start}-${range.end}`;
    const { Body } = await this.#calls.call(key, signal, () =>
      this.#calls.client.send(
        new GetObjectCommand({ ...this.#place(key), ...(Range && { Range }) }),
        abortable(signal),
      ),
    );
    return Body as Readable;
  }

  async head(key: string, { signal }: CallOptions = {}): Promise<ObjectFacts | null> {
    return this.#calls.call(key, signal, async () => {
      try {
        const answer = await this.#calls.client.send(
          new HeadObjectCommand(this.#place(key)),
          abortable(signal),
        );
        return {
          key,
          bytes: answer.ContentLength ?? 0,
          etag: unquote(answer.ETag),
          modifiedAt: answer.LastModified ?? new Date(0),
        };
      } catch (error) {
        if (isMissing(error)) return null;
        throw error;
      }
    });
  }

  async delete(key: string, { signal }: CallOptions = {}): Promise<void> {
    await this.#calls.call(key, signal, () =>
      this.#calls.client.send(new DeleteObjectCommand(this.#place(key)), abortable(signal)),
    );
  }

  async *list({
    prefix = '',
    after,
    signal,
  }: CallOptions & { prefix?: string; after?: string } = {}): AsyncGenerator<ObjectFacts[]> {
    const { bucket, prefix: root } = this.#calls.settings;
    let token: string | undefined;
    do {
      const from = token === undefined ? after && { StartAfter: root + after } : { ContinuationToken: token };
      const answer = await this.#calls.call(null, signal, () =>
        this.#calls.client.send(
          new ListObjectsV2Command({ Bucket: bucket, Prefix: root + prefix, EncodingType: 'url', ...from }),
          abortable(signal),
        ),
      );
      token = answer.IsTruncated ? answer.NextContinuationToken : undefined;
      // Not every store encodes the keys, however it is asked.
      const decode = answer.EncodingType === 'url' ? decodeKey : (key: string) => key;
      yield (answer.Contents ?? []).map(({ Key = '', Size = 0, ETag, LastModified }) => ({
        key: decode(Key).slice(root.length),
        bytes: Size,
        etag: unquote(ETag),
        modifiedAt: LastModified ?? new Date(0),
      }));
    } while (token !== undefined);
  }

  async copyWithin(from: string, to: string, { signal }: CallOptions = {}): Promise<void> {
    const { bucket, prefix } = this.#calls.settings;
    const { client } = this.#calls;
    const { ContentLength: bytes = 0, ...about } = await this.#calls.call(from, signal, () =>
      client.send(new HeadObjectCommand(this.#place(from)), abortable(signal)),
    );
    if (bytes > COPIED_AT_ONCE_BYTES) {
      const { ContentType = 'application/octet-stream', CacheControl } = about;
      return copyInParts(this.#calls, {
        ...{ from, to, bytes, partBytes: COPIED_PART_BYTES, signal },
        about: { ContentType, ...(CacheControl !== undefined && { CacheControl }) },
      });
    }
    await this.#calls.call(from, signal, () =>
      client.send(
        new CopyObjectCommand({ ...this.#place(to), CopySource: objectAddress(bucket, prefix + from) }),
        abortable(signal),
      ),
    );
  }

  signAddress(
    key: string,
    { expiresInS, fileName }: { expiresInS: number; fileName?: string },
  ): Promise<string> {
    const command = new GetObjectCommand({
      ...this.#place(key),
      ...(fileName !== undefined && {
        ResponseContentDisposition: `attachment; filename*=UTF-8''${encodeURIComponent(fileName)}`,
      }),
    });
    return getSignedUrl(this.#calls.client, command, { expiresIn: expiresInS });
  }

  publicAddress(key: string): string {
    const { publicUrl, prefix } = this.#calls.settings;
    if (publicUrl === null) throw new Error(`Expected a store with public addresses, got "${this.name}"`);
    return objectAddress(publicUrl, prefix + key);
  }

  async sweep(minAgeMs: number): Promise<number> {
    return abortUnfinished(this.#calls, minAgeMs);
  }

  close(): void {
    this.#calls.client.destroy();
  }

  #place(key: string): { Bucket: string; Key: string } {
    const { bucket, prefix } = this.#calls.settings;
    return { Bucket: bucket, Key: prefix + key };
  }
}

function isMissing(error: unknown): boolean {
  const code = codeOfBucketError(error);
  return code === 'NotFound' || code === 'NoSuchKey';
}

/** An encoded key of a list. Some stores encode a space as a plus sign. */
function decodeKey(key: string): string {
  return decodeURIComponent(key.replaceAll('+', '%20'));
}
