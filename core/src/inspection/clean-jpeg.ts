import { ByteReader, type ByteSource, concat, fromLatin1 } from './bytes.js';
import type { CleanOptions } from './clean-options.js';
import { exifWithoutPictures } from './clean-tiff.js';
import { type Piece, Splice } from './edits.js';
import { ownMetadata } from './own-metadata.js';
import { blankPictures } from './rights-blocks.js';

/** Markers. Source: ITU-T T.81, table B.1. */
const SOI = 0xd8;
const EOI = 0xd9;
const SOS = 0xda;
const COM = 0xfe;
const APP0 = 0xe0;
const APP1 = 0xe1;
const APP2 = 0xe2;
const APP13 = 0xed;
const APP14 = 0xee;
const APP15 = 0xef;
const isRestart = (marker: number) => marker >= 0xd0 && marker <= 0xd7;

/** The signatures of segments that need to be told apart. Source: CIPA DC-008; ISO 16684-3; ICC.1, B.4; T.872, 6.5. */
const EXIF = 'Exif\0\0';
const XMP = 'http://ns.adobe.com/xap/1.0/\0';
const ICC = 'ICC_PROFILE\0';
const JFIF = 'JFIF\0';
const COLOUR_TRANSFORM = 'Adobe';
const RESOURCES = 'Photoshop 3.0\0';
/** The image resource that contains IPTC. Source: IPTC-NAA IIM 4.2 in image resource blocks, common practice. */
const IPTC_RESOURCE = 0x0404;

const MAX_SEGMENT_DATA = 65_533;
const SCAN_WINDOW = 1 << 20;

/** Cleans a JPEG: the coded picture stays bit-identical; data after its end is dropped. @throws Error when it is corrupt */
export function cleanJpeg(source: ByteSource, options: CleanOptions): Piece[] {
  const reader = new ByteReader(source);
  const splice = new Splice();
  if (reader.u16(0) !== 0xff00 + SOI) throw new Error('it does not begin like a JPEG');
  splice.keep(0, 2);
  let isWritten = options.keep === 'all-but-pictures';
  for (const segment of segmentsOf(reader)) {
    const { at, end, marker } = segment;
    // After JFIF, which must come first, and before everything else.
    if (!isWritten && marker !== APP0) {
      for (const own of ownSegments(options)) splice.put(own);
      isWritten = true;
    }
    const kept = isMetadata(marker) ? keepMetadata(segment, options) : true;
    if (kept === true) splice.keep(at, end);
    else if (kept !== false) splice.put(kept);
  }
  return splice.pieces;
}

interface Segment {
  reader: ByteReader;
  at: number;
  /** The end of the segment; for a scan, including its coded data. */
  end: number;
  marker: number;
}

/** Reads the segments up to the end of the picture. For a truncated file, as many as exist. */
function* segmentsOf(reader: ByteReader): Generator<Segment> {
  for (let at = 2; ; ) {
    const marker = reader.u8(at + 1);
    if (reader.u8(at) !== 0xff) throw new Error('a segment of it is broken');
    if (marker === 0xff) {
      at += 1;
      continue;
    }
    if (marker === EOI) {
      yield { reader, at, end: at + 2, marker };
      return;
    }
    const headEnd = at + 2 + reader.u16(at + 2);
    if (headEnd < at + 4) throw new Error('a segment of it is broken');
    if (headEnd > reader.length) throw new RangeError('a segment of it is broken');
    const end = marker === SOS ? endOfScan(reader.source, headEnd) : headEnd;
    yield { reader, at, end, marker };
    if (marker === SOS && end >= reader.length) return;
    at = end;
  }
}

/** Whether the picture's end is there. @throws RangeError when the file ends within a segment; Error when it is corrupt */
export function hasEndOfImage(reader: ByteReader): boolean {
  let last = 0;
  for (const { marker } of segmentsOf(reader)) last = marker;
  return last === EOI;
}

const isMetadata = (marker: number) => (marker >= APP0 && marker <= APP15) || marker === COM;

/** @returns whether a segment stays, or its replacement */
function keepMetadata(segment: Segment, options: CleanOptions): boolean | Uint8Array {
  const { reader, at, end, marker } = segment;
  const data = reader.bytes(at + 4, end - at - 4);
  const begins = (text: string) => startsWith(data, text);
  switch (marker) {
    case APP0:
      return begins(JFIF) ? withoutThumbnail(data) : false;
    case APP2:
      return begins(ICC);
    case APP14:
      return begins(COLOUR_TRANSFORM);
    case APP1:
      if (options.keep !== 'all-but-pictures') return false;
      if (begins(EXIF)) return inSegment(APP1, EXIF, exifWithoutPictures(data.subarray(EXIF.length)));
      return begins(XMP) ? inSegment(APP1, XMP, blankPictures(data.subarray(XMP.length))) : false;
    case APP13:
      if (options.keep !== 'all-but-pictures' || !begins(RESOURCES)) return false;
      return inSegment(APP13, RESOURCES, onlyIptc(data.subarray(RESOURCES.length)));
    default:
      return options.keep === 'all-but-pictures' && marker === COM;
  }
}

/** JFIF may contain a thumbnail. Source: ITU-T T.871, 10.1. */
function withoutThumbnail(data: Uint8Array): Uint8Array | true {
  const hasNone = data.length === 14 && data[12] === 0 && data[13] === 0;
  if (hasNone || data.length < 12) return true;
  return writeSegment(APP0, concat([data.subarray(0, 12), Uint8Array.of(0, 0)]));
}

/** Of the image resources, those with IPTC; others contain previews. */
function onlyIptc(resources: Uint8Array): Uint8Array | null {
  const view = new DataView(resources.buffer, resources.byteOffset, resources.length);
  const kept: Uint8Array[] = [];
  for (let at = 0; at + 12 <= resources.length; ) {
    if (!startsWith(resources.subarray(at), '8BIM')) break;
    const nameBytes = 1 + (resources[at + 6] ?? 0);
    const sizeAt = at + 6 + nameBytes + (nameBytes % 2);
    if (sizeAt + 4 > resources.length) break;
    const size = view.getUint32(sizeAt);
    const end = sizeAt + 4 + size + (size % 2);
    if (view.getUint16(at + 4) === IPTC_RESOURCE) kept.push(resources.subarray(at, end));
    at = end;
  }
  return kept.length === 0 ? null : concat(kept);
}

function ownSegments(options: CleanOptions): Uint8Array[] {
  const { exif, xmp, iim } = ownMetadata(options);
  return [
    inSegment(APP1, EXIF, exif),
    inSegment(APP1, XMP, xmp),
    inSegment(APP13, RESOURCES, iim && iptcResource(iim)),
  ];
}

/** An image resource without a name. Its data is padded to an even length. */
function iptcResource(iim: Uint8Array): Uint8Array {
  const head = new Uint8Array(12);
  head.set(fromLatin1('8BIM'));
  const view = new DataView(head.buffer);
  view.setUint16(4, IPTC_RESOURCE);
  view.setUint32(8, iim.length);
  return concat([head, iim, new Uint8Array(iim.length % 2)]);
}

/** @returns nothing when there are no data, or more than a segment holds */
function inSegment(marker: number, begin: string, data: Uint8Array | null): Uint8Array {
  if (data === null || begin.length + data.length > MAX_SEGMENT_DATA) return new Uint8Array();
  return writeSegment(marker, concat([fromLatin1(begin), data]));
}

function writeSegment(marker: number, data: Uint8Array): Uint8Array {
  const length = data.length + 2;
  return concat([Uint8Array.of(0xff, marker, length >> 8, length & 0xff), data]);
}

/** The end of a scan's coded data: the first marker other than a restart. Source: ITU-T T.81, B.1.1.5. */
function endOfScan(source: ByteSource, from: number): number {
  let isAfterMark = false;
  for (let at = from; at < source.length; at += SCAN_WINDOW) {
    const bytes = source.read(at, Math.min(SCAN_WINDOW, source.length - at));
    for (let n = 0; n < bytes.length; n += 1) {
      const byte = bytes[n] as number;
      if (isAfterMark && byte !== 0 && byte !== 0xff && !isRestart(byte)) return at + n - 1;
      isAfterMark = byte === 0xff;
    }
  }
  return source.length;
}

function startsWith(bytes: Uint8Array, text: string): boolean {
  if (bytes.length < text.length) return false;
  for (let n = 0; n < text.length; n += 1) if (bytes[n] !== text.charCodeAt(n)) return false;
  return true;
}
