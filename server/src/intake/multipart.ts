import type { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { Busboy, type BusboyHeaders } from '@fastify/busboy';
import type { Request } from 'express';
import { UniferumError } from '../shared/errors.js';

/** One file part. Its stream breaks off with an error when the connection does. */
export interface FilePart {
  name: string;
  stream: Readable;
}

const LIMITS = { fieldNameSize: 100, fieldSize: 200_000, fields: 10_000, files: 2000, headerPairs: 100 };

/**
 * Reads a multipart body (RFC 7578) part by part: `onFile` gets each file in its order, with the fields that came
 * before it; the next part is read when it is done.
 *
 * @returns all fields; a repeated one holds all of its values
 * @throws UniferumError `unsupported-media-type`, `malformed-request`
 */
export async function readMultipart(
  req: Request,
  onFile: (file: FilePart, fields: ReadonlyMap<string, string[]>) => Promise<void>,
): Promise<ReadonlyMap<string, string[]>> {
  if (!/^multipart\/form-data\b/i.test(req.get('content-type') ?? '')) {
    throw new UniferumError(
      'unsupported-media-type',
      'Send the files as multipart/form-data, each in a part named "file".',
    );
  }
  const fields = new Map<string, string[]>();
  let work = Promise.resolve();
  let open: Readable | null = null;
  const parser = openParser(req);
  parser.on('field', (name, value) => fields.set(name, [...(fields.get(name) ?? []), value]));
  parser.on('file', (field, stream, name) => {
    if (field !== 'file' || name === undefined) {
      stream.resume();
      return;
    }
    // Seen to by whoever reads the stream; without a listener an early end of the connection would end the process.
    stream.on('error', () => {});
    // The parser runs ahead of the work: a file has the fields that came before it, not those after.
    const before = new Map(fields);
    work = work.then(() => {
      open = stream;
      return onFile({ name, stream }, before);
    });
    // Reported when the whole body was read.
    work.catch(() => stream.resume());
  });
  try {
    await pipeline(req, parser);
  } catch (error) {
    const broken = new UniferumError(
      'malformed-request',
      `The body broke off or isn't valid multipart: ${error instanceof Error ? error.message : error}.`,
      { cause: error },
    );
    (open as Readable | null)?.destroy(broken);
    await work.catch(() => {});
    throw broken;
  }
  await work;
  return fields;
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
