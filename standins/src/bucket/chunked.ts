import type { Readable } from 'node:stream';
import type { Signer } from './authenticate.js';
import { BucketError } from './bucket-error.js';
import { chunkToSign, sign } from './signature.js';

const LONGEST_LINE = 16 * 1024;
const MAX_CHUNK_BYTES = 64 * 1024 * 1024;

/** What follows the last chunk: lower-case names and values. */
export type Trailers = Map<string, string>;

/**
 * Decodes a body sent in chunks of its own framing: `size[;chunk-signature=…]\r\n` data `\r\n`, ended by a chunk of
 * no bytes and trailing headers. Verifies the signatures of signed chunks, each of which covers the one before it.
 */
export async function* decodeChunks(
  stream: Readable,
  { signer, isSigned, trailers }: { signer: Signer; isSigned: boolean; trailers: Trailers },
): AsyncGenerator<Buffer> {
  const reader = new ByteReader(stream);
  let previous = signer.signature;
  for (;;) {
    const [size = '', signature] = (await reader.line()).split(';chunk-signature=');
    const bytes = Number.parseInt(size, 16);
    if (!/^[0-9a-fA-F]+$/.test(size) || bytes > MAX_CHUNK_BYTES)
      throw new BucketError('InvalidArgument', 'A chunk of the body has no valid size.');
    const chunk = await reader.take(bytes);
    if (isSigned) {
      const text = chunkToSign(signer.date, signer.scope, previous, chunk);
      const expected = sign(signer.account.secret, signer.scope, text);
      if (signature !== expected)
        throw new BucketError('SignatureDoesNotMatch', 'The signature of a chunk does not match.');
      previous = expected;
    }
    if (bytes === 0) break;
    if ((await reader.line()) !== '')
      throw new BucketError('IncompleteBody', 'A chunk of the body does not end where it should.');
    yield chunk;
  }
  for (let line = await reader.line(); line !== ''; line = await reader.line()) {
    const at = line.indexOf(':');
    trailers.set(line.slice(0, at).trim().toLowerCase(), line.slice(at + 1).trim());
  }
}

/** Reads lines and counted bytes from a stream. */
class ByteReader {
  readonly #stream: Readable;
  /** What was read and not yet used. */
  #parts: Buffer[] = [];
  #bytes = 0;

  constructor(stream: Readable) {
    this.#stream = stream;
  }

  /** Up to the next CRLF, without it; empty at the end of the stream. */
  async line(): Promise<string> {
    for (;;) {
      const whole = this.#join();
      const at = whole.indexOf('\r\n');
      if (at >= 0) return this.#cut(at, 2).toString('latin1');
      if (whole.length > LONGEST_LINE)
        throw new BucketError('InvalidArgument', 'A line between the chunks of the body is too long.');
      if (!(await this.#more())) return this.#cut(whole.length, 0).toString('latin1');
    }
  }

  async take(bytes: number): Promise<Buffer> {
    while (this.#bytes < bytes)
      if (!(await this.#more()))
        throw new BucketError('IncompleteBody', 'The body ended before its announced length.');
    return this.#cut(bytes, 0);
  }

  #join(): Buffer {
    const whole = this.#parts.length === 1 ? (this.#parts[0] as Buffer) : Buffer.concat(this.#parts);
    this.#parts = [whole];
    return whole;
  }

  #cut(bytes: number, after: number): Buffer {
    const whole = this.#join();
    this.#parts = [whole.subarray(bytes + after)];
    this.#bytes = whole.length - bytes - after;
    return whole.subarray(0, bytes);
  }

  async #more(): Promise<boolean> {
    for (;;) {
      const read = this.#stream.read() as Buffer | null;
      if (read !== null) {
        this.#parts.push(read);
        this.#bytes += read.length;
        return true;
      }
      if (this.#stream.readableEnded) return false;
      if (this.#stream.destroyed) throw new BucketError('IncompleteBody', 'The request was broken off.');
      await this.#changed();
    }
  }

  #changed(): Promise<void> {
    return new Promise((resolve) => {
      const events = ['readable', 'end', 'close', 'error'] as const;
      const done = () => {
        for (const event of events) this.#stream.off(event, done);
        resolve();
      };
      for (const event of events) this.#stream.once(event, done);
    });
  }
}
