import { ByteReader, type ByteSource, concat } from './bytes.js';
import { cleanFilm } from './clean-films.js';
import type { CleanOptions } from './clean-options.js';
import { exifWithoutPictures } from './clean-tiff.js';
import { Patches, type Piece } from './edits.js';
import { type Box, boxesOf, freeBox } from './iso-boxes.js';
import { ownMetadata } from './own-metadata.js';
import { blankPictures, EMPTY_XMP } from './rights-blocks.js';

const FILE_BOXES = new Set(['ftyp', 'meta', 'mdat', 'moov', 'moof', 'sidx', 'mfra', 'styp']);
const META_BOXES = new Set(['hdlr', 'pitm', 'iloc', 'iinf', 'iref', 'iprp', 'ipro', 'idat', 'dinf', 'grpl']);
const MAX_ITEMS = 65_536;
const MAX_METADATA_BYTES = 16_000_000;

/**
 * Cleans a HEIC or AVIF file in place: the pictures do not move. Source: ISO/IEC 23008-12; 14496-12, 8.11.
 *
 * @throws Error when it is corrupt
 */
export function cleanIsoPicture(source: ByteSource, options: CleanOptions): Piece[] {
  const reader = new ByteReader(source);
  const patches = new Patches();
  for (const box of boxesOf(reader, 0, source.length)) {
    if (box.type === 'meta') cleanMeta(reader, patches, box, options);
    else if (box.type === 'moov') cleanFilm(reader, patches, box, options);
    else if (!FILE_BOXES.has(box.type)) freeBox(patches, box);
  }
  return patches.toPieces(source.length);
}

interface Range {
  from: number;
  to: number;
}

function cleanMeta(reader: ByteReader, patches: Patches, meta: Box, options: CleanOptions): void {
  const found = new Map<string, Box>();
  for (const box of boxesOf(reader, meta.dataAt + 4, meta.end)) {
    if (META_BOXES.has(box.type)) found.set(box.type, box);
    else freeBox(patches, box);
  }
  const infos = found.get('iinf');
  const locations = found.get('iloc');
  if (!infos || !locations) return;
  const metadata = metadataItems(reader, infos);
  for (const { id, ranges } of itemRanges(reader, locations, found.get('idat'))) {
    const kind = metadata.get(id);
    if (kind === undefined) continue;
    const own = newContent(reader, kind, ranges, options);
    for (const { from, to } of ranges) patches.clear(from, to);
    const [first] = ranges;
    if (own && first && own.length <= first.to - first.from) patches.write(first.from, own);
  }
}

/** A TIFF without entries: an item must contain one. */
const EMPTY_TIFF = Uint8Array.of(0x49, 0x49, 0x2a, 0, 8, 0, 0, 0, 0, 0, 0, 0, 0, 0);

const SPACE = 0x20;

/** Spaces after a packet, up to the end of its item. */
function padded(packet: Uint8Array, [first]: readonly Range[]): Uint8Array {
  const whole = new Uint8Array(Math.max(packet.length, first ? first.to - first.from : 0)).fill(SPACE);
  whole.set(packet);
  return whole;
}

type MetadataKind = 'exif' | 'xmp' | 'other';

/** Items that are metadata: Exif, and those with a media type. */
function metadataItems(reader: ByteReader, infos: Box): Map<number, MetadataKind> {
  const items = new Map<number, MetadataKind>();
  const isShort = reader.u8(infos.dataAt) === 0;
  for (const box of boxesOf(reader, infos.dataAt + (isShort ? 6 : 8), infos.end)) {
    if (items.size >= MAX_ITEMS) throw new Error('it has too many items');
    const version = reader.u8(box.dataAt);
    if (box.type !== 'infe' || version < 2) continue;
    const idBytes = version === 2 ? 2 : 4;
    const id = reader.uint(box.dataAt + 4, idBytes);
    const typeAt = box.dataAt + 4 + idBytes + 2;
    const type = reader.code(typeAt);
    if (type === 'Exif') items.set(id, 'exif');
    else if (type === 'mime') {
      const rest = reader.code(typeAt + 4, Math.max(0, Math.min(box.end - typeAt - 4, 500)));
      items.set(id, rest.split('\0')[1] === 'application/rdf+xml' ? 'xmp' : 'other');
    } else if (type === 'uri ') items.set(id, 'other');
  }
  return items;
}

function newContent(
  reader: ByteReader,
  kind: MetadataKind,
  ranges: readonly Range[],
  options: CleanOptions,
): Uint8Array | null {
  const isWhole = options.keep === 'all-but-pictures';
  // The pixels have their own rotation property. Source: ISO/IEC 23008-12, 6.5.10 (irot).
  const own = ownMetadata({ ...options, orientation: null });
  if (kind === 'exif') {
    const exif = isWhole ? exifOf(whole(reader, ranges)) : own.exif;
    return concat([new Uint8Array(4), exif ?? EMPTY_TIFF]);
  }
  if (kind === 'other') return null;
  const packet = isWhole
    ? blankPictures(whole(reader, ranges))
    : (own.xmp ?? new TextEncoder().encode(EMPTY_XMP));
  return padded(packet, ranges);
}

/** The TIFF of an Exif item starts at the offset in its first four bytes. */
function exifOf(item: Uint8Array): Uint8Array | null {
  if (item.length < 4) return null;
  const from = 4 + new DataView(item.buffer, item.byteOffset, 4).getUint32(0);
  return from < item.length ? exifWithoutPictures(item.subarray(from)) : null;
}

function whole(reader: ByteReader, ranges: readonly Range[]): Uint8Array {
  if (ranges.reduce((sum, { from, to }) => sum + to - from, 0) > MAX_METADATA_BYTES)
    throw new Error('its metadata is too large');
  return concat(ranges.map(({ from, to }) => reader.bytes(from, to - from).slice()));
}

/** The location of items. Source: ISO/IEC 14496-12, 8.11.3. */
function itemRanges(
  reader: ByteReader,
  { dataAt }: Box,
  idat: Box | undefined,
): { id: number; ranges: Range[] }[] {
  const version = reader.u8(dataAt);
  const sizes = reader.u16(dataAt + 4);
  const [offsetBytes, lengthBytes, baseBytes] = [sizes >> 12, (sizes >> 8) & 15, (sizes >> 4) & 15];
  const indexBytes = version > 0 ? sizes & 15 : 0;
  const wide = version < 2 ? 2 : 4;
  let at = dataAt + 6;
  const next = (size: number) => {
    const value = reader.uint(at, size);
    at += size;
    return value;
  };
  const count = next(wide);
  if (count > MAX_ITEMS) throw new Error('it has too many items');
  const items: { id: number; ranges: Range[] }[] = [];
  for (let n = 0; n < count; n += 1) {
    const id = next(wide);
    const method = version > 0 ? next(2) & 15 : 0;
    at += 2;
    const base = next(baseBytes);
    const extents = next(2);
    const ranges: Range[] = [];
    for (let extent = 0; extent < extents; extent += 1) {
      at += indexBytes;
      const from = base + next(offsetBytes) + (method === 1 ? (idat?.dataAt ?? 0) : 0);
      const length = next(lengthBytes);
      const to = length === 0 ? reader.length : from + length;
      // Other location methods are not used for metadata.
      if (method <= 1 && to <= reader.length) ranges.push({ from, to });
    }
    items.push({ id, ranges });
  }
  return items;
}

const JXL_BOXES = new Set(['JXL ', 'ftyp', 'jxlc', 'jxlp', 'jxll', 'jxli', 'jbrd']);

/**
 * Cleans a JPEG XL file in place. A file without boxes contains no metadata. Source: ISO/IEC 18181-2, clause 9.
 *
 * @throws Error when it is corrupt
 */
export function cleanJxl(source: ByteSource, _options: CleanOptions): Piece[] {
  const reader = new ByteReader(source);
  const patches = new Patches();
  if (reader.u16(0) === 0xff0a) return patches.toPieces(source.length);
  for (const box of boxesOf(reader, 0, source.length)) if (!JXL_BOXES.has(box.type)) freeBox(patches, box);
  return patches.toPieces(source.length);
}
