import { createHmac, timingSafeEqual } from 'node:crypto';
import { UniferumError } from './errors.js';

/** Writes the position after an item as an opaque text. */
export function writeCursor(parts: (string | number)[]): string {
  return Buffer.from(JSON.stringify(parts)).toString('base64url');
}

/** Reads a cursor of `length` parts. @throws UniferumError `malformed-request` when it is none */
export function readCursor(cursor: string, length: number): (string | number)[] {
  try {
    const parts: unknown = JSON.parse(Buffer.from(cursor, 'base64url').toString());
    const isValid =
      Array.isArray(parts) &&
      parts.length === length &&
      parts.every((part) => typeof part === 'string' || typeof part === 'number');
    if (isValid) return parts;
  } catch {
    // Falls through to the same answer as a cursor of the wrong shape.
  }
  throw unknownCursor();
}

function unknownCursor(): UniferumError {
  return new UniferumError(
    'malformed-request',
    'The cursor does not belong to this list, sort order and filter. Start again without it.',
    {
      errors: [{ field: 'cursor', code: 'cursor-unknown', message: 'not a cursor of this list' }],
    },
  );
}

const SIGNATURE = /^([\w-]+)\.([\w-]{22})$/;

/**
 * Seals cursors: what leaves the server is signed together with the list that it belongs to and everything that the list was
 * asked for, so that a position can't be made up, or carried over to another list, sort or filter.
 */
export class CursorSeal {
  readonly #key: Buffer;

  constructor(masterKey: string) {
    this.#key = createHmac('sha256', masterKey).update('cursors of lists').digest();
  }

  seal(list: ListAsked, cursor: string): string {
    return `${cursor}.${this.#sign(list, cursor)}`;
  }

  /** @throws UniferumError `malformed-request` when this list did not give it */
  open(list: ListAsked, sealed: string): string {
    const [, cursor = '', signature = ''] = SIGNATURE.exec(sealed) ?? [];
    const expected = this.#sign(list, cursor);
    if (
      signature.length !== expected.length ||
      !timingSafeEqual(Buffer.from(signature), Buffer.from(expected))
    )
      throw unknownCursor();
    return cursor;
  }

  #sign({ path, query }: ListAsked, cursor: string): string {
    const asked = Object.entries(query).filter(([name]) => name !== 'cursor' && name !== 'limit');
    asked.sort(([a], [b]) => (a < b ? -1 : 1));
    const text = JSON.stringify([path, asked, cursor]);
    // 128 bits. Source: RFC 2104, section 5 (truncated output).
    return createHmac('sha256', this.#key).update(text).digest('base64url').slice(0, 22);
  }
}

/** A list with what it was asked for; how many at a time may differ from page to page. */
export interface ListAsked {
  path: string;
  query: Record<string, unknown>;
}

/** Cuts one row that was read beyond `limit`, and says where the next page starts. */
export function cutPage<Row>(
  rows: Row[],
  limit: number,
  position: (row: Row) => (string | number)[],
): { rows: Row[]; next: string | null } {
  if (rows.length <= limit) return { rows, next: null };
  const page = rows.slice(0, limit);
  const last = page.at(-1);
  return { rows: page, next: last === undefined ? null : writeCursor(position(last)) };
}
