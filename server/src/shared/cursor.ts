import { UniferumError } from './errors.js';

/** Writes the position after an item as an opaque text. */
export function writeCursor(parts: (string | number)[]): string {
  return Buffer.from(JSON.stringify(parts)).toString('base64url');
}

/**
 * Reads a cursor of `length` parts.
 *
 * @throws UniferumError `malformed-request` when it was not written by this server
 */
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
  throw new UniferumError(
    'malformed-request',
    'The cursor is not one that this list gave. Start again without it.',
    {
      errors: [{ field: 'cursor', code: 'cursor-unknown', message: 'not a cursor of this list' }],
    },
  );
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
