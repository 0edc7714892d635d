import { ByteReader, type ByteSource } from './bytes.js';

/** The size of one value. Source: TIFF 6.0, section 2; BigTIFF for the types from 16 on. */
const TYPE_BYTES: Record<number, number> = {
  ...{ 1: 1, 2: 1, 3: 2, 4: 4, 5: 8, 6: 1, 7: 1, 8: 2, 9: 4, 10: 8, 11: 4, 12: 8, 13: 4 },
  ...{ 16: 8, 17: 8, 18: 8 },
};
const WHOLE_NUMBERS = [3, 4, 13, 16, 18];
const MAX_ENTRIES = 4096;
const MAX_VALUES = 200_000;

/** How long the fields of directories are, in a TIFF and in a BigTIFF. */
interface Layout {
  entryBytes: number;
  offsetBytes: 4 | 8;
  countBytes: 2 | 8;
}

/** An entry of a directory. */
export interface TiffEntry {
  tag: number;
  /** The offset of the entry, and of its value. */
  at: number;
  valueAt: number;
  valueBytes: number;
  type: number;
  count: number;
}

/** The entries of a directory, the offset of the next one (0 for none), and where that is stated and the directory ends. */
export interface TiffDirectory {
  entries: TiffEntry[];
  next: number;
  nextAt: number;
  end: number;
}

/** Reads the directories of a TIFF, a BigTIFF or an Exif block. */
export class TiffReader {
  readonly bytes: ByteReader;
  readonly layout: Layout;
  readonly isLittleEndian: boolean;
  /** The offset of the first directory. */
  readonly first: number;

  /** @throws Error when it does not begin like a TIFF; RangeError when it ends before */
  constructor(source: ByteSource) {
    const mark = new ByteReader(source).code(0, 2);
    if (mark !== 'II' && mark !== 'MM') throw new Error('it does not begin like a TIFF');
    this.isLittleEndian = mark === 'II';
    this.bytes = new ByteReader(source, { littleEndian: this.isLittleEndian });
    const version = this.bytes.u16(2);
    if (version !== 42 && version !== 43) throw new Error('it does not begin like a TIFF');
    this.layout =
      version === 42
        ? { entryBytes: 12, offsetBytes: 4, countBytes: 2 }
        : { entryBytes: 20, offsetBytes: 8, countBytes: 8 };
    this.first = this.bytes.uint(version === 42 ? 4 : 8, this.layout.offsetBytes);
  }

  /** @throws Error when it has too many entries; RangeError when it ends before */
  directory(at: number): TiffDirectory {
    const { countBytes, entryBytes } = this.layout;
    const { count, ...rest } = this.#frame(at);
    const entries = Array.from({ length: count }, (_, n) => this.#entry(at + countBytes + n * entryBytes));
    return { entries, ...rest };
  }

  /** The offset of the directory after one; 0 for none. */
  nextOf(at: number): number {
    return this.#frame(at).next;
  }

  #frame(at: number): Omit<TiffDirectory, 'entries'> & { count: number } {
    const { countBytes, entryBytes, offsetBytes } = this.layout;
    const count = this.bytes.uint(at, countBytes);
    if (count > MAX_ENTRIES) throw new Error('a directory of it is broken');
    const nextAt = at + countBytes + count * entryBytes;
    // Some programs omit the last offset at the end of a block.
    const isThere = nextAt + offsetBytes <= this.bytes.length;
    const next = isThere ? this.bytes.uint(nextAt, offsetBytes) : 0;
    return { count, next, nextAt, end: isThere ? nextAt + offsetBytes : nextAt };
  }

  /** The values of an entry with whole numbers; none of an absent entry. @throws Error for other types */
  values(entry: TiffEntry | undefined): number[] {
    if (!entry) return [];
    if (entry.count > MAX_VALUES) throw new Error('a directory of it is broken');
    return Array.from({ length: entry.count }, (_, n) => this.#value(entry, n));
  }

  /** The first of them; undefined without any. @throws Error for other types */
  firstValue(entry: TiffEntry | undefined): number | undefined {
    return entry && entry.count > 0 ? this.#value(entry, 0) : undefined;
  }

  #value({ type, valueAt }: TiffEntry, n: number): number {
    if (!WHOLE_NUMBERS.includes(type)) throw new Error('a directory of it is broken');
    const size = TYPE_BYTES[type] ?? 0;
    return this.bytes.uint(valueAt + n * size, size);
  }

  #entry(at: number): TiffEntry {
    const { offsetBytes } = this.layout;
    const type = this.bytes.u16(at + 2);
    const count = this.bytes.uint(at + 4, offsetBytes);
    const valueBytes = count * (TYPE_BYTES[type] ?? 1);
    const fieldAt = at + 4 + offsetBytes;
    const valueAt = valueBytes > offsetBytes ? this.bytes.uint(fieldAt, offsetBytes) : fieldAt;
    return { tag: this.bytes.u16(at), at, valueAt, valueBytes, type, count };
  }
}
