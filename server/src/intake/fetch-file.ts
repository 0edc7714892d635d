import { Readable, Transform } from 'node:stream';
import { extensionOfMime, formatBeyond, formatBytes, parseDataUri } from '@uniferum/core/intake';
import { splitName } from '@uniferum/core/library';
import type { Config } from '../shared/config.js';
import { FetchFailure, fetchAddress } from '../shared/outgoing.js';

/** A file being downloaded. */
export interface FetchedFile {
  name: string;
  stream: Readable;
}

/** A download that is not complete after this long is abandoned, however slowly it arrives. */
const MAX_FETCH_MS = 30 * 60_000;

/**
 * Starts downloading a file, or opens a data URI.
 *
 * @param limitBytes larger files are cut off
 * @throws FetchFailure; also as the stream's error
 */
export async function fetchFile(
  config: Pick<Config, 'allowedHosts'>,
  address: string,
  { name, limitBytes, signal }: { name: string | null; limitBytes: number; signal?: AbortSignal },
): Promise<FetchedFile> {
  if (/^data:/i.test(address)) return openDataUri(address, name);
  const limits = [AbortSignal.timeout(MAX_FETCH_MS), ...(signal ? [signal] : [])];
  const fetched = await fetchAddress(config, address, { signal: AbortSignal.any(limits) });
  const given = name ?? nameFromDisposition(fetched.disposition) ?? nameFromUrl(fetched.url);
  const extension = fetched.mime === null ? null : extensionOfMime(fetched.mime);
  const fullName = splitName(given).extension === '' && extension ? `${given}.${extension}` : given;
  const refuse = (message: string): never => {
    fetched.body.destroy();
    throw new FetchFailure(message);
  };
  if (fetched.mime === 'text/html' && !/^html?$/.test(splitName(given).extension))
    refuse('the URL returned a web page instead of a file; copy the URL of the file itself');
  if (fetched.bytes !== null && fetched.bytes > limitBytes) {
    const { actual, allowed } = formatBeyond(fetched.bytes, limitBytes);
    refuse(`it has ${actual}; the limit is ${allowed}`);
  }
  return { name: fullName, stream: limited(fetched.body, limitBytes, fetched.bytes) };
}

function openDataUri(address: string, name: string | null): FetchedFile {
  const data = parseDataUri(address);
  if (!data.ok) throw new FetchFailure(`the data URI can't be read: ${data.reason}`);
  const extension = extensionOfMime(data.mime);
  return {
    name: name ?? (extension ? `unnamed.${extension}` : 'unnamed'),
    stream: Readable.from([Buffer.from(data.bytes)]),
  };
}

/** Ends streams that exceed the limit, and fails those that end before their stated length. */
function limited(body: Readable, limitBytes: number, statedBytes: number | null): Readable {
  let bytes = 0;
  const counter = new Transform({
    transform(chunk: Buffer, _encoding, done) {
      bytes += chunk.length;
      if (bytes > limitBytes)
        done(new FetchFailure(`it is larger than ${formatBytes(limitBytes)} and was cancelled`));
      else done(null, chunk);
    },
    flush(done) {
      if (statedBytes !== null && bytes !== statedBytes)
        done(new FetchFailure(`it stated ${statedBytes} bytes and sent ${bytes}`, { mayRetry: true }));
      else done();
    },
  });
  // It may fail before anybody reads it; the reader still gets the error.
  counter.on('error', () => {});
  body.on('error', (error) => counter.destroy(toFailure(error)));
  counter.on('close', () => body.destroy());
  return body.pipe(counter);
}

function toFailure(error: Error): FetchFailure {
  if (error instanceof FetchFailure) return error;
  const reason = /timeout/i.test(`${error.name} ${error.message}`)
    ? 'the transfer stalled'
    : 'the connection was lost';
  return new FetchFailure(reason, { mayRetry: true, cause: error });
}

/** Reads the file name of a Content-Disposition header (RFC 6266), preferring the extended form. */
function nameFromDisposition(header: string | null): string | null {
  if (header === null) return null;
  const extended = /filename\*\s*=\s*utf-8'[^']*'([^;\s]+)/i.exec(header)?.[1];
  if (extended !== undefined) {
    try {
      return decodeURIComponent(extended);
    } catch {
      // The extended form is malformed; the plain one may be usable.
    }
  }
  const plain = /filename\s*=\s*(?:"((?:[^"\\]|\\.)*)"|([^;\s]+))/i.exec(header);
  return plain?.[1]?.replace(/\\(.)/g, '$1') ?? plain?.[2] ?? null;
}

function nameFromUrl(url: string): string {
  const last = new URL(url).pathname.split('/').findLast((part) => part !== '') ?? 'unnamed';
  try {
    return decodeURIComponent(last);
  } catch {
    return last;
  }
}
