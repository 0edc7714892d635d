import { createHmac, timingSafeEqual } from 'node:crypto';
import { UniferumError } from './errors.js';

/** Encodes a position in a list as an opaque text. */
export function writeCursor(parts: (string | number)[]): string {
  return Buffer.from(JSON.stringify(parts)).toString('base64url');
}

/** Decodes a cursor of `length` parts. @throws UniferumError `malformed-request` when it is not one */
export function readCursor(cursor: string, length: number): (string | number)[] {
  try {
    const parts: unknown = JSON.parse(Buffer.from(cursor, 'base64url').toString());
    const isValid =
      Array.isArray(parts) &&
      parts.length === length &&
      parts.every((part) => typeof part === 'string' || typeof part === 'number');
    if (isValid) return parts;
  } catch {
    // Falls through to the same error as a cursor of the wrong shape.
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
 * Signs cursors together with their list and its parameters, so that a position cannot be made up, or used with
 * another list, sort or filter.
 */
export class CursorSeal {
  readonly #key: Buffer;

  constructor(masterKey: string) {
    this.#key = createHmac('sha256', masterKey).update('cursors of lists').digest();
  }

  seal(list: ListAsked, cursor: string): string {
    return `${cursor}.${this.#sign(list, cursor)}`;
  }

  /** @throws UniferumError `malformed-request` when the cursor does not come from this list */
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

/** Identifies a list by its parameters; the page size may vary between pages. */
export interface ListAsked {
  path: string;
  query: Record<string, unknown>;
}

/** Cuts off the row read beyond `limit`, and returns where the next page starts. */
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
