/** What an audit finds. */
export const AUDIT_REASONS = [
  /** A copy is recorded, and nothing is stored. */
  'missing',
  /** Something is stored that no record explains. */
  'surplus',
  /** It has another size than recorded. */
  'size',
  /** It was read, and its checksum is another one. */
  'damaged',
] as const;
export type AuditReason = (typeof AUDIT_REASONS)[number];

/** How thorough an audit is: by listing, reading a sample as well, or reading everything. */
export const AUDIT_MODES = ['list', 'sample', 'full'] as const;
export type AuditMode = (typeof AUDIT_MODES)[number];

/**
 * Compares what a store lists with what is recorded. Entity tags only tell that something was written since: the bytes
 * may be the same, so they have to be read.
 */
export function compareListed(
  recorded: { bytes: number; etag: string | null },
  listed: { bytes: number; etag: string },
): 'same' | 'size' | 'unsure' {
  if (recorded.bytes !== listed.bytes) return 'size';
  return recorded.etag === listed.etag ? 'same' : 'unsure';
}

/**
 * Chooses a fair sample of a list of unknown length as it goes by: every entry is in it with the same probability.
 * Source: algorithm R, J. S. Vitter, Random Sampling with a Reservoir, ACM TOMS 11 (1985).
 */
export class Reservoir<Entry> {
  readonly chosen: Entry[] = [];
  readonly #size: number;
  readonly #random: () => number;
  #seen = 0;

  /** @param random gives numbers from 0 up to, and not including, 1 */
  constructor(size: number, random: () => number) {
    this.#size = size;
    this.#random = random;
  }

  add(entry: Entry): void {
    this.#seen += 1;
    if (this.chosen.length < this.#size) {
      this.chosen.push(entry);
      return;
    }
    const at = Math.floor(this.#random() * this.#seen);
    if (at < this.#size) this.chosen[at] = entry;
  }
}
