import { createHash } from 'node:crypto';
import type { Readable } from 'node:stream';
import { Busboy, type BusboyHeaders } from '@fastify/busboy';
import type { Request } from 'express';
import { UniferumError } from '../shared/errors.js';

/** One file part. Its stream fails when the connection is closed early. */
export interface FilePart {
  name: string;
  stream: Readable;
}

/** The last value of each field sent before a file. */
export type Fields = ReadonlyMap<string, string>;

const LIMITS = { fieldNameSize: 100, fieldSize: 30_000, fields: 20_000, files: 10_000, headerPairs: 50 };
/** Total size limit of all fields of a request; they stay in memory until its files have arrived. */
const MAX_FIELD_BYTES = 4_000_000;

/**
 * Reads a multipart body (RFC 7578) part by part. `onFile` receives each file in order, with the fields sent before
 * it; the next part is read when `onFile` is done.
 *
 * @returns all fields, and a digest that identifies a retry
 * @throws UniferumError `unsupported-media-type`, `malformed-request`, `too-large`
 */
export async function readMultipart(
  req: Request,
  onFile: (file: FilePart, fields: Fields) => Promise<void>,
): Promise<{ fields: Fields; digest: string }> {
  if (!/^multipart\/form-data\b/i.test(req.get('content-type') ?? '')) {
    throw new UniferumError(
      'unsupported-media-type',
      'Send the files as multipart/form-data, each in a part named "file".',
    );
  }
  const fields = new Map<string, string>();
  const hash = createHash('sha256');
  let fieldBytes = 0;
  let work = Promise.resolve();
  let open: Readable | null = null;
  let failure: { error: unknown } | null = null;
  const parser = openParser(req);
  // Errors after the first one are ignored; without a listener they would end the process.
  parser.on('error', () => {});
  const refuse = (error: UniferumError) => parser.destroy(error);
  parser.on('field', (name, value, isNameCut, isValueCut) => {
    if (isNameCut || isValueCut)
      return refuse(tooLarge(`The field "${name.slice(0, 50)}" is longer than ${LIMITS.fieldSize} bytes.`));
    fieldBytes += name.length + value.length;
    if (fieldBytes > MAX_FIELD_BYTES)
      return refuse(tooLarge(`The fields of the request have more than ${MAX_FIELD_BYTES} bytes together.`));
    hash.update(JSON.stringify([name, value]));
    fields.set(name, value);
  });
  for (const what of ['fields', 'files', 'parts'] as const)
    parser.on(`${what}Limit`, () =>
      refuse(
        tooLarge(
          `The request has more ${what} than allowed (${LIMITS[what === 'fields' ? 'fields' : 'files']}). Everything before them was imported; send the rest in another request.`,
        ),
      ),
    );
  parser.on('file', (field, stream, name) => {
    if (name === undefined) {
      stream.resume();
      return;
    }
    if (field !== 'file') {
      stream.on('error', () => {});
      refuse(
        new UniferumError(
          'malformed-request',
          `The part "${String(field).slice(0, 50)}" is unknown. Send each file in a part named "file".`,
        ),
      );
      return;
    }
    // The consumer of the stream handles errors; without a listener, a closed connection would end the process.
    stream.on('error', () => {});
    // Browsers write a quote in a name like this. Source: WHATWG HTML, "multipart/form-data encoding algorithm".
    // The parser runs ahead of the consumer: a file gets the fields sent before it, not those after.
    const before = new Map(fields);
    work = work.then(() => {
      open = stream;
      return onFile({ name: name.replaceAll('%22', '"'), stream }, before);
    });
    // An abandoned stream is never read to its end, and the parser would wait for it forever.
    work.catch((error) => {
      failure ??= { error };
      parser.destroy(error);
    });
  });
  try {
    await feed(req, parser);
  } catch (error) {
    const broken = explain(error);
    (open as Readable | null)?.destroy(broken);
    await work.catch(() => {});
    throw (failure as { error: unknown } | null)?.error ?? broken;
  }
  await work;
  return { fields, digest: hash.digest('hex') };
}

/**
 * Pipes a request into a parser. When the parser fails the request stays intact, so that the answer can still be sent
 * on the same connection.
 */
function feed(req: Request, parser: InstanceType<typeof Busboy>): Promise<void> {
  return new Promise((resolve, reject) => {
    const breakOff = () => {
      const error = new Error('the connection broke off');
      parser.destroy(error);
      reject(error);
    };
    parser.once('finish', resolve);
    parser.once('error', (error: Error) => {
      req.unpipe(parser);
      reject(error);
    });
    req.once('error', breakOff);
    req.once('close', () => {
      if (!req.complete) breakOff();
    });
    // It may have broken off while the caller was being identified, and then no event follows.
    if (req.destroyed && !req.complete) breakOff();
    else req.pipe(parser);
  });
}

function explain(error: unknown): UniferumError {
  if (error instanceof UniferumError) return error;
  return new UniferumError(
    'malformed-request',
    `The body is incomplete or not valid multipart: ${error instanceof Error ? error.message : error}.`,
    { cause: error },
  );
}

function tooLarge(message: string): UniferumError {
  return new UniferumError('too-large', message);
}

function openParser(req: Request): InstanceType<typeof Busboy> {
  try {
    return new Busboy({ headers: req.headers as BusboyHeaders, limits: LIMITS, defCharset: 'utf8' });
  } catch (error) {
    throw new UniferumError(
      'malformed-request',
      `The multipart header can't be read: ${error instanceof Error ? error.message : error}.`,
      { cause: error },
    );
  }
}
