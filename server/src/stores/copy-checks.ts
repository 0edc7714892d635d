import type { ByteRange } from '../shared/copy-store.js';
import { UniferumError } from '../shared/errors.js';

/** The longest key of a bucket. Source: the common bucket interface. */
const MAX_KEY_BYTES = 1024;

/** @throws TypeError for a key that a bucket could not have */
export function requireKey(key: string): void {
  if (key === '' || Buffer.byteLength(key) > MAX_KEY_BYTES)
    throw new TypeError(`Expected a key of 1 to ${MAX_KEY_BYTES} bytes, got ${Buffer.byteLength(key)}`);
}

export function missingObject(key: string, store: string): UniferumError {
  return new UniferumError('not-found', `${key} is not in the store "${store}".`);
}

export function damagedSource(key: string, store: string): UniferumError {
  return new UniferumError('bytes-damaged', `The bytes of ${key} for "${store}" do not have their digest.`);
}

/** A part of an object, cut at its end; all of it without a range. */
export function readRange(range: ByteRange | undefined, bytes: number): ByteRange {
  return range ? { start: range.start, end: Math.min(range.end, bytes - 1) } : { start: 0, end: bytes - 1 };
}
