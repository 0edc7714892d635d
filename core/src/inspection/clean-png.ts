import { ByteReader, type ByteSource, concat, fromLatin1, latin1 } from './bytes.js';
import type { CleanOptions } from './clean-options.js';
import { exifWithoutPictures } from './clean-tiff.js';
import { type Piece, Splice } from './edits.js';
import { ownMetadata } from './own-metadata.js';
import { blankPictures } from './rights-blocks.js';

/** The chunks needed to show a picture or an animation. Source: PNG, third edition, clause 11. */
const SHOWING = new Set(
  'IHDR PLTE IDAT IEND tRNS cHRM gAMA iCCP sBIT sRGB cICP mDCV cLLI mDCv cLLi bKGD hIST pHYs sPLT acTL fcTL fdAT'.split(
    ' ',
  ),
);
const SIGNATURE = '\x89PNG\r\n\x1a\n';
const XMP_KEYWORD = 'XML:com.adobe.xmp\0';
const MAX_METADATA_BYTES = 16_000_000;

/** Cleans a PNG: chunks of the picture are unchanged; data after its end is dropped. @throws Error when it is corrupt */
export function cleanPng(source: ByteSource, options: CleanOptions): Piece[] {
  const reader = new ByteReader(source);
  if (reader.code(0, 8) !== SIGNATURE) throw new Error('it does not begin like a PNG');
  const splice = new Splice();
  splice.keep(0, 8);
  for (const chunk of chunksOf(reader)) {
    const kept = SHOWING.has(chunk.type) || keepMetadata(reader, chunk, options);
    if (kept === true) splice.keep(chunk.at, chunk.end);
    else if (kept !== false) splice.put(kept);
    if (chunk.type === 'IHDR') for (const own of ownChunks(options)) splice.put(own);
  }
  return splice.pieces;
}

interface Chunk {
  type: string;
  at: number;
  end: number;
}

/** Reads the chunks up to the end of the picture. For a truncated file, as many as exist, and the part of the last. */
function* chunksOf(reader: ByteReader): Generator<Chunk> {
  for (let at = 8; at + 8 <= reader.length; ) {
    const type = reader.code(at + 4);
    const end = Math.min(reader.length, at + 12 + reader.u32(at));
    yield { type, at, end };
    if (type === 'IEND') return;
    at = end;
  }
}

/** Whether the chunk that ends the picture is there, whole. */
export function hasLastChunk(reader: ByteReader): boolean {
  for (const { type, at, end } of chunksOf(reader)) if (type === 'IEND') return end - at >= 12;
  return false;
}

function keepMetadata(
  reader: ByteReader,
  { type, at, end }: Chunk,
  { keep }: CleanOptions,
): boolean | Uint8Array {
  const length = end - at - 12;
  if (keep !== 'all-but-pictures' || length < 0 || length > MAX_METADATA_BYTES) return false;
  return withoutPictures(type, reader.bytes(at + 8, length));
}

/** @returns whether a chunk stays, or the chunk without previews */
function withoutPictures(type: string, data: Uint8Array): boolean | Uint8Array {
  switch (type) {
    case 'eXIf': {
      const exif = exifWithoutPictures(data);
      return exif !== null && writeChunk(type, exif);
    }
    case 'iTXt':
      if (!isXmp(data)) return true;
      // The byte after the keyword tells whether the text is compressed. Source: PNG, third edition, 11.3.3.4.
      return data[XMP_KEYWORD.length] === 0 && writeChunk(type, blankPictures(data));
    case 'tEXt':
      // Some programs write whole profiles as text, including previews; compressed texts have no other use.
      return !latin1(data.subarray(0, 40)).startsWith('Raw profile');
    default:
      return type === 'tIME';
  }
}

function isXmp(data: Uint8Array): boolean {
  return latin1(data.subarray(0, XMP_KEYWORD.length)) === XMP_KEYWORD;
}

function ownChunks(options: CleanOptions): Uint8Array[] {
  const { exif, xmp } = ownMetadata(options);
  return [
    ...(exif ? [writeChunk('eXIf', exif)] : []),
    ...(xmp ? [writeChunk('iTXt', concat([fromLatin1(`${XMP_KEYWORD}\0\0\0\0`), xmp]))] : []),
  ];
}

function writeChunk(type: string, data: Uint8Array): Uint8Array {
  const chunk = new Uint8Array(12 + data.length);
  const view = new DataView(chunk.buffer);
  view.setUint32(0, data.length);
  chunk.set(fromLatin1(type), 4);
  chunk.set(data, 8);
  view.setUint32(8 + data.length, crc32(chunk.subarray(4, 8 + data.length)));
  return chunk;
}

const CRC_TABLE = Uint32Array.from({ length: 256 }, (_, n) => {
  let c = n;
  for (let bit = 0; bit < 8; bit += 1) c = c & 1 ? 0xedb88320 ^ (c >>> 1) : c >>> 1;
  return c;
});

/** Source: PNG, third edition, annex D. */
export function crc32(bytes: Uint8Array): number {
  let c = 0xffffffff;
  for (const byte of bytes) c = (CRC_TABLE[(c ^ byte) & 0xff] as number) ^ (c >>> 8);
  return (c ^ 0xffffffff) >>> 0;
}
