import { ByteReader, type ByteSource } from './bytes.js';
import { hasTrailer } from './clean-gif.js';
import { hasEndOfImage } from './clean-jpeg.js';
import { hasLastChunk } from './clean-png.js';

/** What the end of nearly every whole file looks like, so that nothing else has to be read. */
const ENDS: Readonly<Record<string, readonly number[]>> = {
  'image/jpeg': [0xff, 0xd9],
  'image/png': [0x49, 0x45, 0x4e, 0x44, 0xae, 0x42, 0x60, 0x82],
  'image/gif': [0x00, 0x3b],
};

const FINDS_END: Readonly<Record<string, (reader: ByteReader) => boolean>> = {
  'image/jpeg': hasEndOfImage,
  'image/png': hasLastChunk,
  'image/gif': hasTrailer,
};

/**
 * Tells whether a picture ends before it is complete. Browsers show such JPEG, PNG and GIF files as far as they go; other
 * types are not looked into. More bytes after the end are common, and nothing is missing then.
 */
export function isTruncated(source: ByteSource, mime: string): boolean {
  const findsEnd = FINDS_END[mime];
  if (!findsEnd || endsWith(source, ENDS[mime] ?? [])) return false;
  try {
    return !findsEnd(new ByteReader(source));
  } catch (error) {
    // What is broken otherwise is not called truncated.
    return error instanceof RangeError;
  }
}

function endsWith(source: ByteSource, end: readonly number[]): boolean {
  if (source.length < end.length) return false;
  const last = source.read(source.length - end.length, end.length);
  return end.every((byte, index) => last[index] === byte);
}
