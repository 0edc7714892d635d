import { createHash, randomUUID } from 'node:crypto';
import { createReadStream, createWriteStream } from 'node:fs';
import { rm } from 'node:fs/promises';
import { join } from 'node:path';
import { pipeline } from 'node:stream/promises';
import { BucketError } from './bucket-error.js';
import type { StoredObject } from './object-files.js';
import type { Received } from './receive.js';

/** Every part but the last has at least so many bytes. */
const LEAST_PART_BYTES = 5 * 1024 * 1024;
const MAX_PARTS = 10_000;

/** An object that arrives in parts. */
export interface Upload {
  id: string;
  bucket: string;
  key: string;
  startedAt: string;
  about: Pick<StoredObject, 'isPublic' | 'headers'>;
  parts: Map<number, Received>;
}

/** Uploads in parts that are neither completed nor aborted. */
export class Uploads {
  readonly #uploads = new Map<string, Upload>();

  begin(bucket: string, key: string, about: Upload['about']): Upload {
    const upload = {
      id: randomUUID(),
      bucket,
      key,
      startedAt: new Date().toISOString(),
      about,
      parts: new Map(),
    };
    this.#uploads.set(upload.id, upload);
    return upload;
  }

  /** @throws BucketError when there is none such */
  get(id: string, bucket: string, key: string): Upload {
    const upload = this.#uploads.get(id);
    if (!upload || upload.bucket !== bucket || upload.key !== key)
      throw new BucketError(
        'NoSuchUpload',
        'The upload does not exist. It may have been aborted or completed.',
      );
    return upload;
  }

  list(bucket: string): Upload[] {
    return [...this.#uploads.values()].filter((upload) => upload.bucket === bucket);
  }

  async addPart(upload: Upload, number: number, part: Received): Promise<void> {
    if (!(Number.isInteger(number) && number >= 1 && number <= MAX_PARTS)) {
      await rm(part.path, { force: true });
      throw new BucketError('InvalidArgument', 'A part number is between 1 and 10000.');
    }
    const before = upload.parts.get(number);
    upload.parts.set(number, part);
    if (before) await rm(before.path, { force: true });
  }

  async end(upload: Upload): Promise<void> {
    this.#uploads.delete(upload.id);
    await Promise.all([...upload.parts.values()].map(({ path }) => rm(path, { force: true })));
  }

  /** Puts the named parts together. @returns the whole, in a file in `folder`, and its entity tag */
  async assemble(
    upload: Upload,
    named: readonly { number: number; etag: string }[],
    folder: string,
  ): Promise<{ body: Received; etag: string }> {
    const parts = named.map(({ number, etag }, at) => {
      if (at > 0 && number <= (named[at - 1]?.number ?? 0))
        throw new BucketError('InvalidPartOrder', 'The parts are not in ascending order.');
      const part = upload.parts.get(number);
      if (part?.md5 !== etag)
        throw new BucketError('InvalidPart', `Part ${number} was not uploaded, or has another entity tag.`);
      if (part.bytes < LEAST_PART_BYTES && at < named.length - 1)
        throw new BucketError('EntityTooSmall', `Part ${number} is smaller than a part may be.`);
      return part;
    });
    if (parts.length === 0) throw new BucketError('MalformedXML', 'No part is named.');
    const path = join(folder, randomUUID());
    await pipeline(async function* () {
      for (const part of parts) yield* createReadStream(part.path);
    }, createWriteStream(path));
    const digests = createHash('md5');
    for (const { md5 } of parts) digests.update(Buffer.from(md5, 'hex'));
    const bytes = parts.reduce((sum, part) => sum + part.bytes, 0);
    return {
      body: { path, bytes, md5: '', sha256: '' },
      etag: `${digests.digest('hex')}-${parts.length}`,
    };
  }
}
