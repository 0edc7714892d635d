import { ByteReader, BytesInMemory, concat } from './bytes.js';

/** What Exif states about the picture that it is in. */
export interface PictureFacts {
  widthPx: number;
  heightPx: number;
  /** Whether its colours are sRGB, as opposed to those of an embedded profile. */
  isSrgb: boolean;
}

/** The size of one value. Source: TIFF 6.0, section 2. */
const TYPE_BYTES = new Map(
  Object.entries({ 1: 1, 2: 1, 3: 2, 4: 4, 5: 8, 6: 1, 7: 1, 8: 2, 9: 4, 10: 8, 11: 4, 12: 8 }).map(
    ([type, bytes]) => [Number(type), bytes],
  ),
);
const SHORT = 3;
const LONG = 4;
/** The two directories that describe the picture and the place. Source: CIPA DC-008-2019, 4.6.3. */
const EXIF_DIRECTORY = 34665;
const GPS_DIRECTORY = 34853;

/**
 * Entries of the main directory that stay: descriptions of TIFF 6.0, section 8, of section 12 where they are not about the
 * layout, resolution, rights, and those that a common file manager adds (40091 to 40095). The others describe how another
 * file was stored, or contain pictures.
 */
const OF_MAIN = new Set([
  ...[269, 270, 271, 272, 274, 282, 283, 285, 296, 297, 305, 306, 315, 316, 33432, 18246, 18249],
  ...[40091, 40092, 40093, 40094, 40095],
]);
/** Maker notes contain previews; 40965 is about compatibility, and states colours that may no longer be right. */
const NOT_OF_EXIF = new Set([37500, 40965]);
const MAX_ENTRIES = 1000;
const MAX_VALUE_BYTES = 16_384;
/** A JPEG holds less than 65,536 bytes of Exif. */
const MAX_BYTES = 60_000;

interface Entry {
  tag: number;
  type: number;
  count: number;
  value: Uint8Array;
}

/**
 * Writes Exif anew for an upright picture that was made from the one it described: everything that is said about the
 * subject, the camera and the place, without previews and maker notes. The order of bytes stays.
 *
 * @returns null when it can't be read, or says nothing
 */
export function exifForPicture(block: Uint8Array, facts: PictureFacts): Uint8Array | null {
  try {
    return new ExifRewriter(block, facts).write();
  } catch {
    return null;
  }
}

class ExifRewriter {
  readonly #reader: ByteReader;
  readonly #isLittleEndian: boolean;
  readonly #facts: PictureFacts;
  #bytesLeft = MAX_BYTES;

  constructor(block: Uint8Array, facts: PictureFacts) {
    const mark = String.fromCharCode(block[0] ?? 0, block[1] ?? 0);
    if (mark !== 'II' && mark !== 'MM') throw new Error('it does not begin like a TIFF');
    this.#isLittleEndian = mark === 'II';
    this.#reader = new ByteReader(new BytesInMemory(block), { littleEndian: this.#isLittleEndian });
    this.#facts = facts;
  }

  write(): Uint8Array | null {
    if (this.#reader.u16(2) !== 42) throw new Error('it does not begin like a TIFF');
    const main = this.#read(this.#reader.u32(4));
    const below = (tag: number) => {
      const pointer = main.find((entry) => entry.tag === tag && entry.type === LONG && entry.count === 1);
      return pointer ? this.#read(this.#number(pointer.value)) : [];
    };
    const exif = this.#choose(below(EXIF_DIRECTORY), ({ tag }) => !NOT_OF_EXIF.has(tag)).map((entry) =>
      this.#updated(entry),
    );
    const gps = this.#choose(below(GPS_DIRECTORY), () => true);
    const first = this.#choose(main, ({ tag }) => OF_MAIN.has(tag)).map((entry) => this.#updated(entry));
    if (exif.length + gps.length + first.length === 0) return null;
    return this.#layOut(first, exif, gps);
  }

  /** Statements about the other picture become those about this one. */
  #updated(entry: Entry): Entry {
    const { widthPx, heightPx, isSrgb } = this.#facts;
    // Source: CIPA DC-008-2019, 4.6.4 A (Orientation), 4.6.5 B (ColorSpace), 4.6.5 C (PixelXDimension, PixelYDimension).
    if (entry.tag === 274) return this.#numeric(entry.tag, SHORT, 1);
    if (entry.tag === 40961) return this.#numeric(entry.tag, SHORT, isSrgb ? 1 : 0xffff);
    if (entry.tag === 40962) return this.#numeric(entry.tag, LONG, widthPx);
    if (entry.tag === 40963) return this.#numeric(entry.tag, LONG, heightPx);
    return entry;
  }

  #numeric(tag: number, type: typeof SHORT | typeof LONG, value: number): Entry {
    const bytes = new Uint8Array(type === SHORT ? 2 : 4);
    const view = new DataView(bytes.buffer);
    if (type === SHORT) view.setUint16(0, value, this.#isLittleEndian);
    else view.setUint32(0, value, this.#isLittleEndian);
    return { tag, type, count: 1, value: bytes };
  }

  #number(value: Uint8Array): number {
    return new DataView(value.buffer, value.byteOffset).getUint32(0, this.#isLittleEndian);
  }

  #read(at: number): Entry[] {
    const reader = this.#reader;
    const count = reader.u16(at);
    if (count > MAX_ENTRIES) throw new Error('a directory of it is broken');
    const entries: Entry[] = [];
    for (let n = 0; n < count; n += 1) {
      const entryAt = at + 2 + n * 12;
      const [tag, type] = [reader.u16(entryAt), reader.u16(entryAt + 2)];
      const values = reader.u32(entryAt + 4);
      const bytes = values * (TYPE_BYTES.get(type) ?? 0);
      if (bytes === 0 || bytes > MAX_VALUE_BYTES) continue;
      const valueAt = bytes > 4 ? reader.u32(entryAt + 8) : entryAt + 8;
      // The value of one entry may be cut off in a file that is otherwise right.
      if (valueAt + bytes > reader.length) continue;
      entries.push({ tag, type, count: values, value: reader.bytes(valueAt, bytes).slice() });
    }
    return entries;
  }

  #choose(entries: readonly Entry[], stays: (entry: Entry) => boolean): Entry[] {
    return entries.filter((entry) => {
      if (!stays(entry) || entry.value.length + 12 > this.#bytesLeft) return false;
      this.#bytesLeft -= entry.value.length + 12;
      return true;
    });
  }

  #layOut(main: readonly Entry[], exif: readonly Entry[], gps: readonly Entry[]): Uint8Array {
    const pointers = [
      ...(exif.length > 0 ? [EXIF_DIRECTORY] : []),
      ...(gps.length > 0 ? [GPS_DIRECTORY] : []),
    ];
    const placeholders = pointers.map((tag) => this.#numeric(tag, LONG, 0));
    const exifAt = 8 + this.#bytesOf([...main, ...placeholders]);
    const gpsAt = exifAt + (exif.length > 0 ? this.#bytesOf(exif) : 0);
    const first = [
      ...main,
      ...pointers.map((tag) => this.#numeric(tag, LONG, tag === EXIF_DIRECTORY ? exifAt : gpsAt)),
    ];
    const head = new Uint8Array(8);
    const view = new DataView(head.buffer);
    head.set(this.#isLittleEndian ? [0x49, 0x49] : [0x4d, 0x4d]);
    view.setUint16(2, 42, this.#isLittleEndian);
    view.setUint32(4, 8, this.#isLittleEndian);
    return concat([
      head,
      this.#directory(first, 8),
      ...(exif.length > 0 ? [this.#directory(exif, exifAt)] : []),
      ...(gps.length > 0 ? [this.#directory(gps, gpsAt)] : []),
    ]);
  }

  #bytesOf(entries: readonly Entry[]): number {
    return (
      entries.reduce((sum, { value }) => sum + (value.length > 4 ? even(value.length) : 0), 6) +
      entries.length * 12
    );
  }

  /** A directory with its values behind it; entries are sorted by tag. Source: TIFF 6.0, section 2. */
  #directory(entries: readonly Entry[], at: number): Uint8Array {
    const bytes = new Uint8Array(this.#bytesOf(entries));
    const view = new DataView(bytes.buffer);
    const sorted = [...entries].sort((a, b) => a.tag - b.tag);
    view.setUint16(0, sorted.length, this.#isLittleEndian);
    let valueAt = 2 + sorted.length * 12 + 4;
    for (const [n, { tag, type, count, value }] of sorted.entries()) {
      const entryAt = 2 + n * 12;
      view.setUint16(entryAt, tag, this.#isLittleEndian);
      view.setUint16(entryAt + 2, type, this.#isLittleEndian);
      view.setUint32(entryAt + 4, count, this.#isLittleEndian);
      if (value.length <= 4) bytes.set(value, entryAt + 8);
      else {
        view.setUint32(entryAt + 8, at + valueAt, this.#isLittleEndian);
        bytes.set(value, valueAt);
        valueAt += even(value.length);
      }
    }
    return bytes;
  }
}

function even(length: number): number {
  return length + (length % 2);
}
