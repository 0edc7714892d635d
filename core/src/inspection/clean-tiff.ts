import { ByteReader, type ByteSource, BytesInMemory } from './bytes.js';
import { applyPieces, Patches, type Piece } from './edits.js';

/** Which directory of a TIFF an entry is in. */
export type Directory = 'main' | 'exif' | 'gps' | 'interop' | 'sub';

export interface TiffRules {
  keeps(tag: number, directory: Directory): boolean;
  /** Whether the directories after the first one stay: in a TIFF they are pages; in Exif, the preview. */
  keepsFurther: boolean;
}

/** The size of one value. Source: TIFF 6.0, section 2; BigTIFF for the types from 16 on. */
const TYPE_BYTES: Record<number, number> = {
  ...{ 1: 1, 2: 1, 3: 2, 4: 4, 5: 8, 6: 1, 7: 1, 8: 2, 9: 4, 10: 8, 11: 4, 12: 8, 13: 4 },
  ...{ 16: 8, 17: 8, 18: 8 },
};

const POINTERS: Record<number, Directory> = { 34665: 'exif', 34853: 'gps', 40965: 'interop', 330: 'sub' };
/** Entries with the offset and size of picture data: strips, tiles, JPEG. Source: TIFF 6.0, sections 3, 15, 22. */
const PICTURE_BYTES: readonly (readonly [number, number])[] = [
  [273, 279],
  [324, 325],
  [513, 514],
];
const MAKER_NOTE = 37500;

/**
 * The entries a decoder needs: baseline TIFF, its extensions, colour profiles, JPEG tables, colour filters. Source:
 * TIFF 6.0; ISO 12234-1 for 33421 and 33422; ICC.1 for 34675.
 */
const SHOWING = new Set([
  ...[
    254, 255, 256, 257, 258, 259, 262, 263, 264, 265, 266, 273, 274, 277, 278, 279, 280, 281, 282, 283, 284,
  ],
  ...[
    290, 291, 292, 293, 296, 297, 301, 317, 318, 319, 320, 321, 322, 323, 324, 325, 330, 332, 334, 336, 338,
  ],
  ...[
    339, 340, 341, 342, 343, 344, 345, 346, 347, 512, 513, 514, 515, 517, 518, 519, 520, 521, 529, 530, 531,
  ],
  ...[532, 33421, 33422, 34675, 34712],
]);
const OF_RIGHTS = new Set([315, 33432]);

/** Rules for a file that is a TIFF. */
export function rulesForTiff(keepsRights: boolean): TiffRules {
  return {
    keeps: (tag) => SHOWING.has(tag) || (keepsRights && OF_RIGHTS.has(tag)),
    keepsFurther: true,
  };
}

/** Rules for Exif that keeps everything except previews: those of its second directory, and those in maker notes. */
export const EXIF_WITHOUT_PICTURES: TiffRules = {
  keeps: (tag, directory) => !(directory === 'exif' && tag === MAKER_NOTE) && tag !== 330,
  keepsFurther: false,
};

const MAX_DIRECTORIES = 2000;
const MAX_ENTRIES = 4096;
const MAX_STRIPS = 200_000;

interface Layout {
  entryBytes: number;
  offsetBytes: 4 | 8;
  countBytes: 2 | 8;
}

/**
 * Removes entries from a TIFF in place: nothing else moves. Their values are overwritten with zeros.
 *
 * @throws Error when it is corrupt
 */
export function cleanTiff(source: ByteSource, rules: TiffRules): Piece[] {
  const mark = new ByteReader(source).code(0, 2);
  if (mark !== 'II' && mark !== 'MM') throw new Error('it does not begin like a TIFF');
  const reader = new ByteReader(source, { littleEndian: mark === 'II' });
  const version = reader.u16(2);
  if (version !== 42 && version !== 43) throw new Error('it does not begin like a TIFF');
  const layout: Layout =
    version === 42
      ? { entryBytes: 12, offsetBytes: 4, countBytes: 2 }
      : { entryBytes: 20, offsetBytes: 8, countBytes: 8 };
  const cleaner = new TiffCleaner(reader, layout, rules, mark === 'II');
  cleaner.clean(reader.uint(version === 42 ? 4 : 8, layout.offsetBytes));
  return cleaner.patches.toPieces(source.length);
}

/** Removes the previews from an Exif block. An unreadable block is dropped. */
export function exifWithoutPictures(block: Uint8Array): Uint8Array | null {
  const source = new BytesInMemory(block);
  try {
    return applyPieces(source, cleanTiff(source, EXIF_WITHOUT_PICTURES));
  } catch {
    return null;
  }
}

interface Entry {
  tag: number;
  /** The offset of the entry, and of its value. */
  at: number;
  valueAt: number;
  valueBytes: number;
  type: number;
  count: number;
}

class TiffCleaner {
  readonly patches = new Patches();
  readonly #reader: ByteReader;
  readonly #layout: Layout;
  readonly #rules: TiffRules;
  readonly #isLittleEndian: boolean;
  readonly #seen = new Set<number>();

  constructor(reader: ByteReader, layout: Layout, rules: TiffRules, isLittleEndian: boolean) {
    this.#reader = reader;
    this.#layout = layout;
    this.#rules = rules;
    this.#isLittleEndian = isLittleEndian;
  }

  clean(first: number): void {
    for (let at = first, n = 0; at !== 0; n += 1) {
      const isFurther = n > 0;
      if (isFurther && !this.#rules.keepsFurther) {
        this.#erase(at);
        return;
      }
      at = this.#cleanDirectory(at, 'main');
    }
  }

  /** @returns the offset of the next directory in the chain; 0 for none */
  #cleanDirectory(at: number, directory: Directory): number {
    if (!this.#enter(at)) return 0;
    const { entries, next, nextAt, end } = this.#read(at);
    const kept = entries.filter(({ tag }) => this.#rules.keeps(tag, directory));
    for (const entry of entries) {
      if (kept.includes(entry)) this.#follow(entry, (pointed, to) => this.#cleanDirectory(pointed, to));
      else this.#drop(entry);
    }
    const keepsNext = directory === 'main' && this.#rules.keepsFurther;
    if (kept.length < entries.length || !keepsNext)
      this.#rewrite(at, kept, { next: keepsNext ? next : 0, end });
    if (directory === 'main') return next;
    if (next !== 0 && nextAt < this.#reader.length) this.#erase(next);
    return 0;
  }

  /** Overwrites a directory with fewer entries. */
  #rewrite(at: number, kept: readonly Entry[], { next, end }: { next: number; end: number }): void {
    const { countBytes, entryBytes, offsetBytes } = this.#layout;
    const bytes = new Uint8Array(countBytes + kept.length * entryBytes + offsetBytes);
    const view = new DataView(bytes.buffer);
    if (countBytes === 2) view.setUint16(0, kept.length, this.#isLittleEndian);
    else view.setBigUint64(0, BigInt(kept.length), this.#isLittleEndian);
    for (const [index, entry] of kept.entries())
      bytes.set(this.#reader.bytes(entry.at, entryBytes), countBytes + index * entryBytes);
    const nextAt = countBytes + kept.length * entryBytes;
    if (offsetBytes === 4) view.setUint32(nextAt, next, this.#isLittleEndian);
    else view.setBigUint64(nextAt, BigInt(next), this.#isLittleEndian);
    this.patches.write(at, bytes);
    this.patches.clear(at + bytes.length, end);
  }

  /** Overwrites a directory, its values and the pictures it points to with zeros. */
  #erase(at: number): void {
    if (!this.#enter(at)) return;
    const { entries, next, end } = this.#read(at);
    for (const [offsets, lengths] of PICTURE_BYTES) this.#erasePicture(entries, offsets, lengths);
    for (const entry of entries) this.#drop(entry);
    this.patches.clear(at, end);
    if (next !== 0) this.#erase(next);
  }

  #erasePicture(entries: readonly Entry[], offsetsTag: number, lengthsTag: number): void {
    const offsets = this.#values(entries.find(({ tag }) => tag === offsetsTag));
    const lengths = this.#values(entries.find(({ tag }) => tag === lengthsTag));
    for (const [index, from] of offsets.entries())
      this.patches.clear(from, Math.min(this.#reader.length, from + (lengths[index] ?? 0)));
  }

  #drop(entry: Entry): void {
    this.#follow(entry, (pointed) => this.#erase(pointed));
    const isElsewhere = entry.valueBytes > this.#layout.offsetBytes;
    if (isElsewhere)
      this.patches.clear(entry.valueAt, Math.min(this.#reader.length, entry.valueAt + entry.valueBytes));
  }

  #follow(entry: Entry, work: (at: number, directory: Directory) => void): void {
    const directory = POINTERS[entry.tag];
    if (directory === undefined) return;
    for (const at of this.#values(entry)) work(at, directory);
  }

  /** The values of an entry with whole numbers. */
  #values(entry: Entry | undefined): number[] {
    if (!entry) return [];
    const size = TYPE_BYTES[entry.type] ?? 0;
    const isWhole = [3, 4, 13, 16, 18].includes(entry.type);
    if (!isWhole || entry.count > MAX_STRIPS) throw new Error('a directory of it is broken');
    return Array.from({ length: entry.count }, (_, n) => this.#reader.uint(entry.valueAt + n * size, size));
  }

  #read(at: number): { entries: Entry[]; next: number; nextAt: number; end: number } {
    const { countBytes, entryBytes, offsetBytes } = this.#layout;
    const count = this.#reader.uint(at, countBytes);
    if (count > MAX_ENTRIES) throw new Error('a directory of it is broken');
    const entries = Array.from({ length: count }, (_, n) => this.#entry(at + countBytes + n * entryBytes));
    const nextAt = at + countBytes + count * entryBytes;
    // Some programs omit the last offset at the end of a block.
    const isThere = nextAt + offsetBytes <= this.#reader.length;
    const next = isThere ? this.#reader.uint(nextAt, offsetBytes) : 0;
    return { entries, next, nextAt, end: isThere ? nextAt + offsetBytes : nextAt };
  }

  #entry(at: number): Entry {
    const { offsetBytes } = this.#layout;
    const type = this.#reader.u16(at + 2);
    const count = this.#reader.uint(at + 4, offsetBytes);
    const valueBytes = count * (TYPE_BYTES[type] ?? 1);
    const fieldAt = at + 4 + offsetBytes;
    const valueAt = valueBytes > offsetBytes ? this.#reader.uint(fieldAt, offsetBytes) : fieldAt;
    return { tag: this.#reader.u16(at), at, valueAt, valueBytes, type, count };
  }

  /** @returns false for a directory that was visited before */
  #enter(at: number): boolean {
    if (this.#seen.has(at)) return false;
    if (this.#seen.size >= MAX_DIRECTORIES) throw new Error('it has too many directories');
    this.#seen.add(at);
    return true;
  }
}
