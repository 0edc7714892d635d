import { ByteReader, type ByteSource, concat, fromLatin1 } from './bytes.js';
import type { CleanOptions } from './clean-options.js';
import { exifWithoutPictures } from './clean-tiff.js';
import { Patches, type Piece, Splice } from './edits.js';
import { ownMetadata } from './own-metadata.js';
import { blankPictures } from './rights-blocks.js';

interface Chunk {
  id: string;
  at: number;
  dataAt: number;
  /** The end of its data, and the start of the next chunk at an even offset. */
  end: number;
  next: number;
}

function* chunksOf(reader: ByteReader, from: number, to: number): Generator<Chunk> {
  for (let at = from; at + 8 <= to; ) {
    const size = reader.u32(at + 4);
    const end = Math.min(to, at + 8 + size);
    const next = Math.min(to, at + 8 + size + (size % 2));
    yield { id: reader.code(at), at, dataAt: at + 8, end, next };
    at = next;
  }
}

/** Source: WebP container (RFC 9649), section 2.7. */
const WEBP_SHOWING = new Set(['VP8 ', 'VP8L', 'ANIM', 'ANMF', 'ALPH', 'ICCP']);
const HAS_EXIF = 0x08;
const HAS_XMP = 0x04;
const MAX_METADATA_BYTES = 16_000_000;

/** Cleans a WebP: the coded pictures are unchanged; data after its end is dropped. @throws Error when it is corrupt */
export function cleanWebp(source: ByteSource, options: CleanOptions): Piece[] {
  const reader = new ByteReader(source, { littleEndian: true });
  if (reader.code(0) !== 'RIFF' || reader.code(8) !== 'WEBP')
    throw new Error('it does not begin like a WebP');
  const end = Math.min(source.length, 8 + reader.u32(4));
  const chunks = [...chunksOf(reader, 12, end)];
  const isExtended = chunks.some(({ id }) => id === 'VP8X');
  const own = isExtended ? metadataOf(reader, chunks, options) : { exif: null, xmp: null };
  const body = new Splice();
  for (const chunk of chunks) {
    if (WEBP_SHOWING.has(chunk.id)) body.keep(chunk.at, chunk.next);
    if (chunk.id !== 'VP8X') continue;
    const flags = reader.u8(chunk.dataAt) & ~(HAS_EXIF | HAS_XMP);
    body.keep(chunk.at, chunk.dataAt);
    body.put(Uint8Array.of(flags | (own.exif ? HAS_EXIF : 0) | (own.xmp ? HAS_XMP : 0)));
    body.keep(chunk.dataAt + 1, chunk.next);
  }
  if (own.exif) body.put(writeChunk('EXIF', own.exif));
  if (own.xmp) body.put(writeChunk('XMP ', own.xmp));
  const bytes = body.pieces.reduce(
    (sum, piece) =>
      sum + ('from' in piece ? piece.to - piece.from : 'bytes' in piece ? piece.bytes.length : 0),
    4,
  );
  const size = new Uint8Array(4);
  new DataView(size.buffer).setUint32(0, bytes, true);
  return [{ from: 0, to: 4 }, { bytes: size }, { from: 8, to: 12 }, ...body.pieces];
}

function metadataOf(
  reader: ByteReader,
  chunks: readonly Chunk[],
  options: CleanOptions,
): { exif: Uint8Array | null; xmp: Uint8Array | null } {
  if (options.keep !== 'all-but-pictures') return ownMetadata(options);
  const dataOf = (id: string) => {
    const chunk = chunks.find((one) => one.id === id);
    return chunk && chunk.end - chunk.dataAt <= MAX_METADATA_BYTES
      ? reader.bytes(chunk.dataAt, chunk.end - chunk.dataAt)
      : null;
  };
  const [exif, xmp] = [dataOf('EXIF'), dataOf('XMP ')];
  // Some programs write the header of a JPEG segment before it.
  const begin = exif && String.fromCharCode(...exif.subarray(0, 6)) === 'Exif\0\0' ? 6 : 0;
  return { exif: exif && exifWithoutPictures(exif.subarray(begin)), xmp: xmp && blankPictures(xmp) };
}

function writeChunk(id: string, data: Uint8Array): Uint8Array {
  const size = new Uint8Array(4);
  new DataView(size.buffer).setUint32(0, data.length, true);
  return concat([fromLatin1(id), size, data, new Uint8Array(data.length % 2)]);
}

/**
 * The chunks needed to play a film or sound. Source: Multimedia Programming Interface 1.0; OpenDML AVI 1.02; EBU Tech
 * 3306.
 */
const PLAYED = new Set(
  'fmt |data|fact|cue |plst|smpl|inst|PEAK|ds64|wavl|slnt|avih|strh|strf|dmlh|vprp|idx1|indx'.split('|'),
);
const LISTS_PLAYED = new Set(['movi', 'hdrl', 'strl', 'odml', 'rec ', 'adtl', 'wavl']);
/** Texts of a film that are kept with rights: its artist, its copyright. */
const INFO_OF_RIGHTS = new Set(['IART', 'ICOP']);
const JUNK = fromLatin1('JUNK');
const MAX_DEPTH = 6;

/** Cleans an AVI or WAV in place: metadata becomes padding. @throws Error when it is corrupt */
export function cleanRiffMedia(source: ByteSource, { keep }: CleanOptions): Piece[] {
  const reader = new ByteReader(source, { littleEndian: true });
  const patches = new Patches();
  let at = 0;
  for (const part of chunksOf(reader, 0, source.length)) {
    if (!/^(?:RIFF|RF64)$/.test(part.id)) break;
    // For files beyond 4 GB the size is stored elsewhere.
    at = part.id === 'RF64' ? source.length : part.next;
    const inside = { from: part.dataAt + 4, to: at, stays: (id: string) => PLAYED.has(id) };
    cleanChunks(reader, patches, inside, keep === 'rights');
  }
  if (at === 0) throw new Error('it does not begin like a RIFF file');
  // Data after its end belongs to nothing.
  patches.clear(at, source.length);
  return patches.toPieces(source.length);
}

function cleanChunks(
  reader: ByteReader,
  patches: Patches,
  { from, to, stays }: { from: number; to: number; stays: (id: string) => boolean },
  keepsRights: boolean,
  depth = 0,
): void {
  if (depth > MAX_DEPTH) throw new Error('its lists lie in each other too deep');
  for (const chunk of chunksOf(reader, from, to)) {
    const list = chunk.id === 'LIST' && chunk.end >= chunk.dataAt + 4 ? reader.code(chunk.dataAt) : null;
    const inside = { from: chunk.dataAt + 4, to: chunk.end };
    if (list === 'movi') continue;
    if (LISTS_PLAYED.has(list ?? ''))
      cleanChunks(reader, patches, { ...inside, stays }, keepsRights, depth + 1);
    else if (list === 'INFO' && keepsRights)
      cleanChunks(reader, patches, { ...inside, stays: (id) => INFO_OF_RIGHTS.has(id) }, true, depth + 1);
    else if (!stays(chunk.id)) {
      patches.write(chunk.at, JUNK);
      patches.clear(chunk.dataAt, chunk.end);
    }
  }
}
