/** The longest key of a bucket, in bytes of UTF-8. Source: the common bucket interface. */
const MAX_KEY_BYTES = 1024;
/** Room for a store's prefix. */
const PREFIX_BYTES = 200;
const DIGEST_DIGITS = 12;

/** What a key is made of. */
export interface KeyedBytes {
  /** The path of the asset's folder: `/lights/gannet-head`. */
  folder: string;
  /** The name of the file as people see it: that of the asset, or of a rendition (`dusk~wide.webp`). */
  name: string;
  /** Tells this copy from every other, earlier ones of the same bytes included. */
  mark: string;
  /** 64 hexadecimal digits. */
  sha256: string;
}

/**
 * The key of a copy: folder and name as people know them, with a mark and a part of the digest before the extension.
 * Other bytes have another key, so that what is at a key never changes; and no two copies share one, so that deleting
 * one, however late it arrives, never deletes another.
 */
export function copyKey({ folder, name, mark, sha256 }: KeyedBytes): string {
  const dot = name.lastIndexOf('.');
  const stem = dot > 0 ? name.slice(0, dot) : name;
  const extension = dot > 0 ? name.slice(dot) : '';
  const middle = `.${mark}-${sha256.slice(0, DIGEST_DIGITS)}`;
  const path = folder
    .slice(1)
    .split('/')
    .filter((segment) => segment !== '')
    .map(safeSegment);
  const file = `${safeSegment(stem)}${middle}${extension}`;
  const whole = [...path, file].join('/');
  if (bytesOf(whole) <= MAX_KEY_BYTES - PREFIX_BYTES) return whole;
  // The folders go first: the name says more.
  const left = MAX_KEY_BYTES - PREFIX_BYTES - bytesOf(middle + extension);
  return `${cut(safeSegment(stem), left)}${middle}${extension}`;
}

/** Addresses treat segments of dots as directions. */
function safeSegment(segment: string): string {
  return /^\.{1,2}$/.test(segment) ? segment.replaceAll('.', '_') : segment;
}

function cut(text: string, bytes: number): string {
  let result = '';
  let length = 0;
  for (const character of text) {
    length += bytesOf(character);
    if (length > bytes) break;
    result += character;
  }
  return result;
}

/** The length in UTF-8. */
function bytesOf(text: string): number {
  let bytes = 0;
  for (const character of text) {
    const point = character.codePointAt(0) ?? 0;
    bytes += point < 0x80 ? 1 : point < 0x800 ? 2 : point < 0x10000 ? 3 : 4;
  }
  return bytes;
}
