import { createReadStream, readFile } from 'node:fs';
import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { promisify } from 'node:util';
import { type Piece, slicePieces } from '@uniferum/core/inspection';
import type { Request, Response } from 'express';
import type { Answer } from '../shared/answer.js';
import type { ByteStore } from '../shared/byte-store.js';
import type { ByteRange } from '../shared/copy-store.js';
import { UniferumError } from '../shared/errors.js';
import { hasCurrent } from '../shared/etag.js';
import { servedType } from '../shared/media-origin.js';

/** Bytes to send, with what a browser needs to know about them. */
export interface Content {
  sha256: string;
  bytes: number;
  mime: string;
  name: string;
  /** Null when no modification time applies to these bytes. */
  modifiedAt: Date | null;
  /** Saves the file instead of displaying it. */
  asAttachment: boolean;
  cacheControl: string;
  /** The pieces of the stored bytes to send; null sends all of them. */
  pieces?: readonly Piece[] | null;
  /** Identifies this form of the stored bytes. */
  form?: string | null;
}

/** Types that a browser may display from our origin: none of them runs scripts, given the policy below. */
const SHOWN = /^(?:image\/(?!svg)|audio\/|video\/|application\/pdf$|text\/(?:plain|csv|vtt)$)/;

/** Stops scripts in a picture, SVG above all, from running when it is opened directly. */
const INERT_POLICY =
  "default-src 'none'; style-src 'unsafe-inline'; img-src data:; media-src 'self'; sandbox";

/**
 * Sends bytes with entity tag, conditions and ranges (RFC 9110 §13, §14). A request for several ranges gets the
 * whole, which §14.2 allows.
 */
export async function sendContent(
  req: Request,
  res: Response,
  store: ByteStore,
  content: Content,
): Promise<Answer> {
  // A time that is still to come, because bytes changed twice within a second, says nothing yet. Source: RFC 9110, 8.8.2.1.
  const modifiedAt =
    content.modifiedAt && content.modifiedAt.getTime() <= Date.now() ? content.modifiedAt : null;
  const etag = content.form ? `"${content.sha256}.${content.form}"` : `"${content.sha256}"`;
  const type = servedType(content.mime, res.locals.mayHoldScripts === true);
  if (content.asAttachment || !(SHOWN.test(content.mime) || content.mime === 'image/svg+xml'))
    res.attachment(content.name);
  res.setHeader('Content-Type', type.startsWith('text/') ? `${type}; charset=utf-8` : type);
  res.setHeader('ETag', etag);
  if (modifiedAt) res.setHeader('Last-Modified', modifiedAt.toUTCString());
  res.setHeader('Cache-Control', content.cacheControl);
  res.setHeader('Accept-Ranges', 'bytes');
  res.setHeader('Content-Security-Policy', INERT_POLICY);
  // Pages of the site on other origins embed these files.
  res.setHeader('Cross-Origin-Resource-Policy', 'cross-origin');

  const ifMatch = req.get('if-match');
  if (ifMatch !== undefined && !hasCurrent(ifMatch, etag))
    throw new UniferumError('stale-state', `${content.name} has changed. Request it again.`);
  if (isUnchanged(req, etag, modifiedAt)) {
    res.status(304).end();
    return { status: 304, handled: true };
  }
  const range = readRange(req, etag, { ...content, modifiedAt });
  if (range === 'unsatisfiable') {
    res.setHeader('Content-Range', `bytes */${content.bytes}`);
    throw new UniferumError(
      'range-not-satisfiable',
      `${content.name} has ${content.bytes} bytes; the range is outside the file.`,
    );
  }
  if (range) res.setHeader('Content-Range', `bytes ${range.start}-${range.end}/${content.bytes}`);
  res.setHeader('Content-Length', range ? range.end - range.start + 1 : content.bytes);
  res.status(range ? 206 : 200);
  if (req.method === 'HEAD') res.end();
  else await stream(res, store, content, range ?? undefined);
  return { status: res.statusCode, handled: true };
}

function isUnchanged(req: Request, etag: string, modifiedAt: Date | null): boolean {
  const ifNoneMatch = req.get('if-none-match');
  if (ifNoneMatch !== undefined) return hasCurrent(ifNoneMatch, etag);
  const since = Date.parse(req.get('if-modified-since') ?? '');
  return (
    modifiedAt !== null && !Number.isNaN(since) && Math.floor(modifiedAt.getTime() / 1000) * 1000 <= since
  );
}

function readRange(
  req: Request,
  etag: string,
  { bytes, modifiedAt }: Content,
): { start: number; end: number } | 'unsatisfiable' | null {
  const ifRange = req.get('if-range');
  if (ifRange !== undefined && ifRange !== etag && ifRange !== modifiedAt?.toUTCString()) return null;
  const ranges = req.range(bytes, { combine: true });
  if (ranges === -1) return 'unsatisfiable';
  if (ranges === undefined || ranges === -2 || ranges.type !== 'bytes' || ranges.length !== 1) return null;
  const [range] = ranges;
  return range ? { start: range.start, end: range.end } : null;
}

async function stream(
  res: Response,
  store: ByteStore,
  content: Content,
  range: ByteRange | undefined,
): Promise<void> {
  if (!(await store.has(content.sha256))) {
    removeContentHeaders(res);
    throw new Error(
      `The bytes ${content.sha256} of ${content.name} are missing from the store "${store.name}"`,
    );
  }
  // A remote store verifies the bytes here, so that damage is reported before anything is sent.
  const file = await store.borrow(content.sha256).catch((error) => {
    removeContentHeaders(res);
    throw error;
  });
  try {
    await sendFile(res, file.path, content, range);
  } finally {
    await file.release();
  }
}

async function sendFile(
  res: Response,
  path: string,
  content: Content,
  range: ByteRange | undefined,
): Promise<void> {
  if (!content.pieces && content.bytes <= WHOLE_BYTES) {
    const data = await readWhole(path, content, range).catch((error) => {
      removeContentHeaders(res);
      throw error;
    });
    res.end(data);
    return;
  }
  try {
    await pipeline(open(path, content, range), res);
  } catch (error) {
    // The client has disconnected.
    if (!res.destroyed && !res.closed) throw error;
  }
}

/** Removes the headers of bytes that cannot be sent. */
function removeContentHeaders(res: Response): void {
  for (const header of ['Content-Length', 'Content-Range', 'Content-Type', 'Content-Disposition', 'ETag'])
    res.removeHeader(header);
}

/** Up to this size, bytes are sent from memory, which is faster than a stream. */
const WHOLE_BYTES = 256 * 1024;
const readLocal = promisify(readFile);

async function readWhole(
  path: string,
  { sha256, bytes, name }: Content,
  range: ByteRange | undefined,
): Promise<Buffer> {
  const data = await readLocal(path);
  if (data.length !== bytes)
    throw new Error(`The stored bytes ${sha256} of ${name} are ${data.length}, not ${bytes}`);
  return range ? data.subarray(range.start, range.end + 1) : data;
}

function open(path: string, { pieces }: Content, range: ByteRange | undefined): Readable {
  if (!pieces) return createReadStream(path, range);
  return Readable.from(readPieces(path, range ? slicePieces(pieces, range.start, range.end) : pieces), {
    objectMode: false,
  });
}

const ZEROS = Buffer.alloc(64 * 1024);

async function* readPieces(path: string, pieces: readonly Piece[]): AsyncGenerator<Uint8Array> {
  for (const piece of pieces) {
    if ('from' in piece) yield* createReadStream(path, { start: piece.from, end: piece.to - 1 });
    else if ('bytes' in piece) yield piece.bytes;
    else
      for (let left = piece.zeros; left > 0; left -= ZEROS.length)
        yield ZEROS.subarray(0, Math.min(left, ZEROS.length));
  }
}
