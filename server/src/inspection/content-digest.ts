import { createHash, hash } from 'node:crypto';
import type { Edit } from '@uniferum/core/pages';
import { sha256Of } from '../shared/sha256.js';

/**
 * Computes the digest by which the content of a document is recognised. It protects from changes in between and not from
 * somebody who forges them, who could only make an edit fail that states what it replaces: SHA-1 is enough, and takes half
 * the time of SHA-256.
 */
export function contentDigest(data: Uint8Array): string {
  return hash('sha1', data, 'hex');
}

/**
 * Computes the digest of a content after edits, without copying it. Edits are in the order of their offsets, which are those
 * of bytes.
 */
export function digestAfter(data: Uint8Array, edits: readonly Edit[]): string {
  const digest = createHash('sha1');
  let at = 0;
  for (const { from, to, after } of edits) {
    digest.update(data.subarray(at, from)).update(after, 'latin1');
    at = to;
  }
  return digest.update(data.subarray(at)).digest('hex');
}

const SHA_256_LENGTH = 64;

/** Tells whether a content has this digest. Edits that were stored by earlier releases have a SHA-256. */
export function hasDigest(data: Uint8Array, digest: string): boolean {
  return (isSha256(digest) ? sha256Of(data) : contentDigest(data)) === digest;
}

export function isSha256(digest: string): boolean {
  return digest.length === SHA_256_LENGTH;
}
