import { ByteReader, type ByteSource } from './bytes.js';

const SIGNATURE = '\x89PNG\r\n\x1a\n';
/** The chunk comes before the picture; further ones are not looked at. */
const MAX_CHUNKS = 1000;

/** Whether a PNG is animated. Source: PNG, third edition, 11.3.6.1 (acTL). */
export function isAnimatedPng(source: ByteSource): boolean {
  const reader = new ByteReader(source);
  if (source.length < 8 || reader.code(0, 8) !== SIGNATURE) return false;
  for (let at = 8, n = 0; at + 12 <= source.length && n < MAX_CHUNKS; n += 1) {
    const type = reader.code(at + 4);
    if (type === 'IDAT') return false;
    // It may state one frame: then it is a still.
    if (type === 'acTL') return at + 12 <= source.length && reader.u32(at + 8) > 1;
    at += 12 + reader.u32(at);
  }
  return false;
}
