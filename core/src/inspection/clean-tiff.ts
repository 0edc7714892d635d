import { type ByteSource, BytesInMemory } from './bytes.js';
import { applyPieces, Patches, type Piece } from './edits.js';
import { type TiffEntry, TiffReader } from './tiff-directory.js';

/** Which directory of a TIFF an entry is in. */
export type Directory = 'main' | 'exif' | 'gps' | 'interop' | 'sub';

export interface TiffRules {
  keeps(tag: number, directory: Directory): boolean;
  /** Whether the directories after the first one stay: in a TIFF they are pages; in Exif, the preview. */
  keepsFurther: boolean;
}

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

/**
 * Removes entries from a TIFF in place: nothing else moves. Their values are overwritten with zeros.
 *
 * @throws Error when it is corrupt
 */
export function cleanTiff(source: ByteSource, rules: TiffRules): Piece[] {
  const tiff = new TiffReader(source);
  const cleaner = new TiffCleaner(tiff, rules);
  cleaner.clean(tiff.first);
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

class TiffCleaner {
  readonly patches = new Patches();
  readonly #tiff: TiffReader;
  readonly #rules: TiffRules;
  readonly #seen = new Set<number>();

  constructor(tiff: TiffReader, rules: TiffRules) {
    this.#tiff = tiff;
    this.#rules = rules;
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
    const { entries, next, nextAt, end } = this.#tiff.directory(at);
    const kept = entries.filter(({ tag }) => this.#rules.keeps(tag, directory));
    for (const entry of entries) {
      if (kept.includes(entry)) this.#follow(entry, (pointed, to) => this.#cleanDirectory(pointed, to));
      else this.#drop(entry);
    }
    const keepsNext = directory === 'main' && this.#rules.keepsFurther;
    if (kept.length < entries.length || !keepsNext)
      this.#rewrite(at, kept, { next: keepsNext ? next : 0, end });
    if (directory === 'main') return next;
    if (next !== 0 && nextAt < this.#tiff.bytes.length) this.#erase(next);
    return 0;
  }

  /** Overwrites a directory with fewer entries. */
  #rewrite(at: number, kept: readonly TiffEntry[], { next, end }: { next: number; end: number }): void {
    const { countBytes, entryBytes, offsetBytes } = this.#tiff.layout;
    const bytes = new Uint8Array(countBytes + kept.length * entryBytes + offsetBytes);
    const view = new DataView(bytes.buffer);
    if (countBytes === 2) view.setUint16(0, kept.length, this.#tiff.isLittleEndian);
    else view.setBigUint64(0, BigInt(kept.length), this.#tiff.isLittleEndian);
    for (const [index, entry] of kept.entries())
      bytes.set(this.#tiff.bytes.bytes(entry.at, entryBytes), countBytes + index * entryBytes);
    const nextAt = countBytes + kept.length * entryBytes;
    if (offsetBytes === 4) view.setUint32(nextAt, next, this.#tiff.isLittleEndian);
    else view.setBigUint64(nextAt, BigInt(next), this.#tiff.isLittleEndian);
    this.patches.write(at, bytes);
    this.patches.clear(at + bytes.length, end);
  }

  /** Overwrites a directory, its values and the pictures it points to with zeros. */
  #erase(at: number): void {
    if (!this.#enter(at)) return;
    const { entries, next, end } = this.#tiff.directory(at);
    for (const [offsets, lengths] of PICTURE_BYTES) this.#erasePicture(entries, offsets, lengths);
    for (const entry of entries) this.#drop(entry);
    this.patches.clear(at, end);
    if (next !== 0) this.#erase(next);
  }

  #erasePicture(entries: readonly TiffEntry[], offsetsTag: number, lengthsTag: number): void {
    const offsets = this.#tiff.values(entries.find(({ tag }) => tag === offsetsTag));
    const lengths = this.#tiff.values(entries.find(({ tag }) => tag === lengthsTag));
    for (const [index, from] of offsets.entries())
      this.patches.clear(from, Math.min(this.#tiff.bytes.length, from + (lengths[index] ?? 0)));
  }

  #drop(entry: TiffEntry): void {
    this.#follow(entry, (pointed) => this.#erase(pointed));
    const isElsewhere = entry.valueBytes > this.#tiff.layout.offsetBytes;
    if (isElsewhere)
      this.patches.clear(entry.valueAt, Math.min(this.#tiff.bytes.length, entry.valueAt + entry.valueBytes));
  }

  #follow(entry: TiffEntry, work: (at: number, directory: Directory) => void): void {
    const directory = POINTERS[entry.tag];
    if (directory === undefined) return;
    for (const at of this.#tiff.values(entry)) work(at, directory);
  }

  /** @returns false for a directory that was visited before */
  #enter(at: number): boolean {
    if (this.#seen.has(at)) return false;
    if (this.#seen.size >= MAX_DIRECTORIES) throw new Error('it has too many directories');
    this.#seen.add(at);
    return true;
  }
}
