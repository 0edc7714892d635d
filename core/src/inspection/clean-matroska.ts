import { ByteReader, type ByteSource } from './bytes.js';
import type { CleanOptions } from './clean-options.js';
import { Patches, type Piece } from './edits.js';

/** Elements. Source: RFC 9559, section 5; EBML (RFC 8794), section 11.3. */
const EBML = 0x1a45dfa3;
const SEGMENT = 0x18538067;
const INFO = 0x1549a966;
const TAGS = 0x1254c367;
const ATTACHMENTS = 0x1941a469;
const CLUSTER = 0x1f43b675;
const VOID = 0xec;
const CRC = 0xbf;
/** The information a player needs: the timescale, the duration, and the required names of muxer and writer. */
const INFO_PLAYED = new Set([0x2ad7b1, 0x4489, 0x4d80, 0x5741, 0x73a4]);

interface Element {
  id: number;
  at: number;
  dataAt: number;
  /** Null when the size is not known in advance. */
  end: number | null;
}

/** Cleans a Matroska or WebM file in place: metadata becomes void elements. @throws Error when it is corrupt */
export function cleanMatroska(source: ByteSource, _options: CleanOptions): Piece[] {
  const reader = new ByteReader(source);
  const patches = new Patches();
  const head = readElement(reader, 0);
  if (head.id !== EBML || head.end === null) throw new Error('it does not begin like a Matroska file');
  const segment = readElement(reader, head.end);
  if (segment.id !== SEGMENT) throw new Error('it holds no segment');
  const end = Math.min(segment.end ?? source.length, source.length);
  for (let at = segment.dataAt; at < end; ) {
    const element = readElement(reader, at);
    if (element.end === null) {
      // A stream of unknown size: the cluster's elements follow one by one.
      if (element.id !== CLUSTER) throw new Error('an element of it has no size');
      at = element.dataAt;
      continue;
    }
    if (element.end > end && element.id !== CLUSTER && !isInCluster(element.id))
      throw new Error('an element of it is broken');
    if (element.id === TAGS || element.id === ATTACHMENTS || element.id === VOID)
      makeVoid(patches, element.at, element.end);
    if (element.id === INFO) cleanInfo(reader, patches, element.dataAt, element.end);
    at = element.end;
  }
  patches.clear(end, source.length);
  return patches.toPieces(source.length);
}

/** Elements within a cluster have codes of one or two bytes. */
const isInCluster = (id: number) => id <= 0xffff;

function cleanInfo(reader: ByteReader, patches: Patches, from: number, to: number): void {
  for (let at = from; at < to; ) {
    const { id, end } = readElement(reader, at);
    if (end === null || end > to) throw new Error('an element of it is broken');
    // The checksum of changed data would be wrong.
    if (!INFO_PLAYED.has(id) || id === CRC) makeVoid(patches, at, end);
    at = end;
  }
}

/** Overwrites an element with a void element of the same length. Source: RFC 8794, 11.3.2. */
function makeVoid(patches: Patches, from: number, to: number): void {
  const length = to - from;
  const sizeBytes = Math.min(8, length - 1);
  if (sizeBytes < 1) throw new Error('an element of it is broken');
  const head = new Uint8Array(1 + sizeBytes);
  head[0] = VOID;
  let rest = length - head.length;
  for (let n = sizeBytes; n >= 1; n -= 1) {
    head[n] = rest % 256;
    rest = Math.floor(rest / 256);
  }
  head[1] = (head[1] ?? 0) | (1 << (8 - sizeBytes));
  patches.write(from, head);
  patches.clear(from + head.length, to);
}

function readElement(reader: ByteReader, at: number): Element {
  const idBytes = vintBytes(reader.u8(at), 4);
  let id = 0;
  for (const byte of reader.bytes(at, idBytes)) id = id * 256 + byte;
  const sizeAt = at + idBytes;
  const first = reader.u8(sizeAt);
  const sizeBytes = vintBytes(first, 8);
  let size = first & (0xff >> sizeBytes);
  let isUnknown = size === 0xff >> sizeBytes;
  for (const byte of reader.bytes(sizeAt, sizeBytes).subarray(1)) {
    size = size * 256 + byte;
    isUnknown = isUnknown && byte === 0xff;
  }
  const dataAt = sizeAt + sizeBytes;
  return { id, at, dataAt, end: isUnknown ? null : dataAt + size };
}

/** How many bytes a number of variable length takes. Source: RFC 8794, section 4. */
function vintBytes(first: number, most: number): number {
  const bytes = Math.clz32(first) - 23;
  if (bytes > most) throw new Error('an element of it is broken');
  return bytes;
}
