import type { IncomingMessage } from 'node:http';
import { BucketError } from './bucket-error.js';
import type { StoredObject } from './object-files.js';

/** Evaluates the conditions of a reading request (RFC 9110 §13.2.2). @returns whether 304 answers it */
export function isNotModified(req: IncomingMessage, object: StoredObject): boolean {
  const header = (name: string) => req.headers[name]?.toString();
  const modified = Math.floor(Date.parse(object.modifiedAt) / 1000) * 1000;
  const ifMatch = header('if-match');
  if (ifMatch !== undefined ? !matches(ifMatch, object.etag) : modified > time(header('if-unmodified-since')))
    throw failed();
  const ifNoneMatch = header('if-none-match');
  if (ifNoneMatch !== undefined) return matches(ifNoneMatch, object.etag);
  return modified <= (Date.parse(header('if-modified-since') ?? '') || 0);
}

/** Evaluates the conditions of a writing request. */
export function requireWritable(req: IncomingMessage, present: StoredObject | null): void {
  const ifNoneMatch = req.headers['if-none-match'];
  if (ifNoneMatch === '*' && present) throw failed();
  const ifMatch = req.headers['if-match'];
  if (ifMatch !== undefined && !(present && matches(ifMatch, present.etag))) throw failed();
}

/** Reads a single range (RFC 9110 §14.1.2); null asks for the whole. */
export function readRange(header: string | undefined, bytes: number): { start: number; end: number } | null {
  const [, from = '', to = ''] = /^bytes=(\d*)-(\d*)$/.exec(header ?? '') ?? [];
  if (from === '' && to === '') return null;
  const start = from === '' ? Math.max(0, bytes - Number(to)) : Number(from);
  const end = from === '' || to === '' ? bytes - 1 : Math.min(Number(to), bytes - 1);
  if (from !== '' && to !== '' && Number(from) > Number(to)) return null;
  if (start >= bytes || (from === '' && Number(to) === 0))
    throw new BucketError('InvalidRange', 'The requested range is not satisfiable.', {
      'Content-Range': `bytes */${bytes}`,
    });
  return { start, end };
}

function matches(header: string, etag: string): boolean {
  return (
    header === '*' ||
    header.split(',').some((one) => one.trim().replace(/^W\//, '').replaceAll('"', '') === etag)
  );
}

function time(header: string | undefined): number {
  const at = Date.parse(header ?? '');
  return Number.isNaN(at) ? Number.POSITIVE_INFINITY : at;
}

function failed(): BucketError {
  return new BucketError('PreconditionFailed', 'At least one of the preconditions did not hold.');
}
