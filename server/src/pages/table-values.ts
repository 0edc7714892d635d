import { createHash } from 'node:crypto';
import { encodePath } from '@uniferum/core/library';
import { applyEdits } from '@uniferum/core/pages';
import { inBoundedGroups } from '../shared/group.js';
import { type DocumentChange, MAX_ADDRESS, SourceFault, type WriteOutcome } from './opened-source.js';
import type { Belongings } from './table-queries.js';

// What is computed of the values of a table, without its database.

/** So many bytes of documents are kept in memory at a time. */
export const BYTES_AT_A_TIME = 8_000_000;

/** The path of a value within its source. */
export function pathOf(key: string, column: string): string {
  return `${encodeURIComponent(key)}/${column}`;
}

export function readPath(path: string): { key: string; column: string } {
  const slash = path.indexOf('/');
  return { key: decodeURIComponent(path.slice(0, slash)), column: path.slice(slash + 1) };
}

/** Groups values that are read together, by their keys. */
export function groupBySize(values: readonly Belongings[]): string[][] {
  const limits = { count: values.length, load: BYTES_AT_A_TIME, loadOf: ({ size }: Belongings) => size };
  return inBoundedGroups(values, limits).map((some) => some.map(({ id }) => id));
}

/** As the database computes it; see `digestOf` of the table's queries. */
export function stampDigest(bytes: Uint8Array, title: string | null): string {
  const digest = createHash('sha1').update(bytes);
  if (title !== null) digest.update('\0').update(title);
  return digest.digest('hex');
}

export function applyTo(bytes: Uint8Array, edits: DocumentChange['edits']): Buffer {
  const text = Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength).toString('latin1');
  return Buffer.from(applyEdits(text, edits), 'latin1');
}

/** A refusal of this one value, such as one that is longer than its column; anything else is thrown. */
export function toFailure(error: unknown, path: string): WriteOutcome {
  const { code, message } = error as NodeJS.ErrnoException;
  if (code === 'ER_DATA_TOO_LONG')
    return {
      kind: 'failed',
      message: `${path} would be longer than its column allows. It was left unchanged.`,
    };
  if (error instanceof SourceFault || code === 'ER_NET_PACKET_TOO_LARGE')
    return { kind: 'failed', message: `${path} can't be written: ${message}` };
  throw error;
}

/** Puts the values of a row into an address; null when it becomes too long. */
export function fillUrl(template: string, values: ReadonlyMap<string, string>): string | null {
  const url = template.replace(/\{([^{}]+)\}/g, (all, name: string) => {
    const value = values.get(name);
    return value === undefined ? all : encodePath(value);
  });
  return url.length > MAX_ADDRESS ? null : url;
}
