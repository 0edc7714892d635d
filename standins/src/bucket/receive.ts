import { createHash, randomUUID } from 'node:crypto';
import { createWriteStream } from 'node:fs';
import { rm } from 'node:fs/promises';
import type { IncomingHttpHeaders } from 'node:http';
import { join } from 'node:path';
import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { crc32 } from 'node:zlib';
import type { Signer } from './authenticate.js';
import { BucketError } from './bucket-error.js';
import { decodeChunks, type Trailers } from './chunked.js';

/** A body on disk, with every digest that a request may state. */
export interface Received {
  path: string;
  bytes: number;
  md5: string;
  sha256: string;
}

const SIGNED_CHUNKS = 'STREAMING-AWS4-HMAC-SHA256-PAYLOAD';
const UNSIGNED_CHUNKS = 'STREAMING-UNSIGNED-PAYLOAD-TRAILER';
const UNSIGNED = 'UNSIGNED-PAYLOAD';

/**
 * Writes the body of a request to a file of its own, and compares it with every length and digest that the request
 * states. @throws BucketError when one differs; the file is gone then
 */
export async function receiveBody(
  body: Readable,
  headers: IncomingHttpHeaders,
  folder: string,
  signer: Signer | null,
): Promise<Received> {
  const path = join(folder, randomUUID());
  const hashes = { md5: createHash('md5'), sha1: createHash('sha1'), sha256: createHash('sha256') };
  const trailers: Trailers = new Map();
  let checksum = 0;
  let bytes = 0;
  const measure = async function* (chunks: AsyncIterable<Buffer>) {
    for await (const chunk of chunks) {
      hashes.md5.update(chunk);
      hashes.sha1.update(chunk);
      hashes.sha256.update(chunk);
      checksum = crc32(chunk, checksum);
      bytes += chunk.length;
      yield chunk;
    }
  };
  try {
    await pipeline(Readable.from(readBody(body, signer, trailers)), measure, createWriteStream(path));
    const digests = {
      md5: hashes.md5.digest(),
      sha1: hashes.sha1.digest(),
      sha256: hashes.sha256.digest(),
      crc32: Buffer.alloc(4),
    };
    digests.crc32.writeUInt32BE(checksum);
    verify(headers, trailers, signer?.payload ?? UNSIGNED, bytes, digests);
    return { path, bytes, md5: digests.md5.toString('hex'), sha256: digests.sha256.toString('hex') };
  } catch (error) {
    await rm(path, { force: true });
    throw error;
  }
}

function readBody(body: Readable, signer: Signer | null, trailers: Trailers): AsyncIterable<Buffer> {
  if (signer?.payload === SIGNED_CHUNKS || signer?.payload === UNSIGNED_CHUNKS)
    return decodeChunks(body, { signer, isSigned: signer.payload === SIGNED_CHUNKS, trailers });
  if (signer?.payload.startsWith('STREAMING-'))
    throw new BucketError('NotImplemented', `The framing ${signer.payload} is not supported.`);
  return body;
}

function verify(
  headers: IncomingHttpHeaders,
  trailers: Trailers,
  payload: string,
  bytes: number,
  digests: Record<'md5' | 'sha1' | 'sha256' | 'crc32', Buffer>,
): void {
  const header = (name: string) => headers[name]?.toString() ?? trailers.get(name);
  const length = header('x-amz-decoded-content-length') ?? header('content-length');
  if (length !== undefined && Number(length) !== bytes)
    throw new BucketError('IncompleteBody', 'The body does not have its announced length.');
  if (/^[0-9a-f]{64}$/.test(payload) && payload !== digests.sha256.toString('hex'))
    throw new BucketError('XAmzContentSHA256Mismatch', 'The body does not have the signed digest.');
  const stated = {
    'content-md5': digests.md5,
    'x-amz-checksum-crc32': digests.crc32,
    'x-amz-checksum-sha1': digests.sha1,
    'x-amz-checksum-sha256': digests.sha256,
  };
  for (const [name, digest] of Object.entries(stated)) {
    const value = header(name);
    if (value !== undefined && value !== digest.toString('base64'))
      throw new BucketError('BadDigest', `The body does not have the ${name} that was sent.`);
  }
}

const MAX_TEXT_BYTES = 4 * 1024 * 1024;

/** Reads a small body as text. @throws BucketError when it does not have the signed digest */
export async function readText(body: Readable, signer: Signer | null): Promise<string> {
  const chunks: Buffer[] = [];
  let bytes = 0;
  for await (const chunk of readBody(body, signer, new Map())) {
    bytes += chunk.length;
    if (bytes > MAX_TEXT_BYTES) throw new BucketError('EntityTooLarge', 'The body is too large.');
    chunks.push(chunk);
  }
  const whole = Buffer.concat(chunks);
  const digest = createHash('sha256').update(whole).digest('hex');
  if (signer && /^[0-9a-f]{64}$/.test(signer.payload) && signer.payload !== digest)
    throw new BucketError('XAmzContentSHA256Mismatch', 'The body does not have the signed digest.');
  return whole.toString('utf8');
}
