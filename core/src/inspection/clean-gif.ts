import { ByteReader, type ByteSource, concat, fromLatin1, latin1 } from './bytes.js';
import type { CleanOptions } from './clean-options.js';
import { type Piece, Splice } from './edits.js';
import { ownMetadata } from './own-metadata.js';

const IMAGE = 0x2c;
const EXTENSION = 0x21;
const TRAILER = 0x3b;
const GRAPHIC_CONTROL = 0xf9;
const PLAIN_TEXT = 0x01;
const COMMENT = 0xfe;
const APPLICATION = 0xff;
/** Application extensions that affect display: loops, and the colour profile. */
const SHOWING = new Set(['NETSCAPE2.0', 'ANIMEXTS1.0', 'ICCRGBG1012']);
const XMP = 'XMP DataXMP';
const BEGINS = ['GIF87a', 'GIF89a'];

/**
 * Cleans a GIF: frames and loops are unchanged; data after its end is dropped. Source: GIF89a.
 *
 * @throws Error when it is corrupt
 */
export function cleanGif(source: ByteSource, options: CleanOptions): Piece[] {
  const reader = new ByteReader(source);
  if (!BEGINS.includes(reader.code(0, 6))) throw new Error('it does not begin like a GIF');
  const splice = new Splice();
  let at = 13 + colourTableBytes(reader.u8(10));
  splice.keep(0, at);
  splice.put(xmpExtension(ownMetadata(options).xmp));
  for (;;) {
    const block = reader.u8(at);
    if (block === TRAILER) {
      splice.keep(at, at + 1);
      return splice.pieces;
    }
    if (block === IMAGE) {
      const end = endOfBlocks(reader, at + 11 + colourTableBytes(reader.u8(at + 9)));
      splice.keep(at, end);
      at = end;
    } else if (block === EXTENSION) {
      const end = endOfBlocks(reader, at + 2);
      if (staysOf(reader, at, options)) splice.keep(at, end);
      at = end;
    } else throw new Error('a block of it is broken');
    // The file is truncated: the existing part is shown.
    if (at >= source.length) return splice.pieces;
  }
}

/** Whether the trailer is there. @throws RangeError when the file ends within a block; Error when it is corrupt */
export function hasTrailer(reader: ByteReader): boolean {
  for (let at = 13 + colourTableBytes(reader.u8(10)); at < reader.length; ) {
    const block = reader.u8(at);
    if (block === TRAILER) return true;
    if (block === IMAGE) at = endOfBlocks(reader, at + 11 + colourTableBytes(reader.u8(at + 9)));
    else if (block === EXTENSION) at = endOfBlocks(reader, at + 2);
    else throw new Error('a block of it is broken');
  }
  return false;
}

function staysOf(reader: ByteReader, at: number, { keep }: CleanOptions): boolean {
  const label = reader.u8(at + 1);
  if (label === GRAPHIC_CONTROL || label === PLAIN_TEXT) return true;
  if (label === COMMENT) return keep === 'all-but-pictures';
  // Other application extensions may contain previews; XMP in a GIF cannot be told apart from its frame.
  return label === APPLICATION && reader.u8(at + 2) === 11 && SHOWING.has(latin1(reader.bytes(at + 3, 11)));
}

function colourTableBytes(flags: number): number {
  return flags & 0x80 ? 3 * 2 ** ((flags & 7) + 1) : 0;
}

function endOfBlocks(reader: ByteReader, from: number): number {
  for (let at = from; at < reader.length; ) {
    const size = reader.u8(at);
    at += 1 + size;
    if (size === 0) return at;
  }
  return reader.length;
}

/** Source: ISO 16684-3, GIF: the packet is followed by 258 bytes that lead any block reader to the end. */
function xmpExtension(packet: Uint8Array | null): Uint8Array {
  if (packet === null) return new Uint8Array();
  const trailer = Uint8Array.from({ length: 258 }, (_, n) => (n === 0 ? 1 : n < 257 ? 256 - n : 0));
  return concat([Uint8Array.of(EXTENSION, APPLICATION, 11), fromLatin1(XMP), packet, trailer]);
}
