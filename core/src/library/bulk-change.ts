import type { AssetTexts } from './asset.js';
import { shiftTime } from './capture-time.js';
import { splitName } from './names.js';
import { folderName } from './paths.js';

/** The texts that hold one string. */
export const PLAIN_TEXTS = ['title', 'alt', 'caption', 'credit'] as const;
export type PlainText = (typeof PLAIN_TEXTS)[number];

/**
 * The changes of a bulk edit, applied to each asset in this order: replace, set, append, fill, shift. `set` takes
 * null to empty a text. `fill` changes only empty texts; its values are patterns, see {@link fillPattern}.
 */
export interface BulkChange {
  set?: Partial<Record<PlainText, string | null>> & { keywords?: string[] };
  append?: Partial<Record<PlainText, string>> & { keywords?: string[] };
  fill?: Partial<Record<PlainText, string>> & { keywords?: string[] };
  removeKeywords?: string[];
  replace?: { field: PlainText | 'keywords'; find: string; with: string }[];
  /** Shifts capture dates by minutes, for a camera set to the wrong time zone. */
  shiftMinutes?: number;
  /** The path of the target folder. */
  folder?: string;
}

/** The part of an asset that a bulk edit can read and change. */
export interface BulkSubject extends AssetTexts {
  name: string;
  folder: string;
  /** With its offset where that is known. */
  capturedAt: string | null;
}

/** The changed values, before and after. */
export interface BulkDifference {
  before: Partial<Omit<BulkSubject, 'name'>>;
  after: Partial<Omit<BulkSubject, 'name'>>;
}

/** The plan of a bulk edit for one asset. */
export type BulkOutcome =
  | ({ kind: 'changed' } & BulkDifference)
  /**
   * `has-one`: only empty texts were to be filled. `no-date`: there is no capture date to shift. `date-limit`: the
   * date would be outside the supported years. `same`: the values are unchanged.
   */
  | { kind: 'unchanged'; reason: 'has-one' | 'no-date' | 'date-limit' | 'same' };

/** Plans a bulk edit for one asset; applying it means writing `after`. */
export function planBulkChange(subject: BulkSubject, change: BulkChange): BulkOutcome {
  const next: BulkSubject = { ...subject, keywords: changeKeywords(subject.keywords, change) };
  for (const field of PLAIN_TEXTS) next[field] = changeText(next, field, change);
  if (change.shiftMinutes && next.capturedAt)
    next.capturedAt = shiftTime(next.capturedAt, change.shiftMinutes) ?? next.capturedAt;
  if (change.folder !== undefined) next.folder = change.folder;
  return compare(subject, next, change);
}

function changeText(subject: BulkSubject, field: PlainText, change: BulkChange): string | null {
  let text = subject[field] ?? '';
  for (const { field: of, find, with: put } of change.replace ?? [])
    if (of === field && find !== '') text = text.replaceAll(find, put);
  const set = change.set?.[field];
  if (set !== undefined) text = set ?? '';
  const append = change.append?.[field] ?? '';
  // Appending the same text twice adds it once, so a repeated job is harmless.
  if (!text.endsWith(append)) text += append;
  const fill = change.fill?.[field];
  if (fill && text === '') text = fillPattern(fill, subject).trim();
  return text || null;
}

function changeKeywords(keywords: readonly string[], change: BulkChange): string[] {
  let words = [...keywords];
  for (const { field, find, with: put } of change.replace ?? [])
    if (field === 'keywords' && find !== '') words = words.map((word) => word.replaceAll(find, put));
  words = [...(change.set?.keywords ?? words), ...(change.append?.keywords ?? [])];
  if (words.length === 0) words = change.fill?.keywords ?? [];
  const removed = new Set(change.removeKeywords ?? []);
  return unique(words.filter((word) => !removed.has(word)));
}

function compare(subject: BulkSubject, next: BulkSubject, change: BulkChange): BulkOutcome {
  const fields = [...PLAIN_TEXTS, 'keywords', 'capturedAt', 'folder'] as const;
  const changed = fields.filter((field) => JSON.stringify(subject[field]) !== JSON.stringify(next[field]));
  if (changed.length > 0) {
    const pick = (from: BulkSubject) => Object.fromEntries(changed.map((field) => [field, from[field]]));
    return { kind: 'changed', before: pick(subject), after: pick(next) };
  }
  if (change.fill && Object.keys(change.fill).length > 0) return { kind: 'unchanged', reason: 'has-one' };
  if (change.shiftMinutes)
    return { kind: 'unchanged', reason: subject.capturedAt === null ? 'no-date' : 'date-limit' };
  return { kind: 'unchanged', reason: 'same' };
}

/** The variables of patterns. */
export const PATTERN_WORDS = {
  name: 'the file name',
  stem: 'the file name without its extension',
  words: 'the file name as words, without counting numbers',
  folder: 'the name of the folder',
  title: 'the title',
  year: 'the year in which it was taken',
} as const;

/**
 * Fills a pattern for one asset: `{words}, {folder}` becomes `Storm over the sound, gannet-head`. Unknown values
 * become empty.
 */
export function fillPattern(pattern: string, subject: BulkSubject): string {
  const { stem } = splitName(subject.name);
  const values: Record<keyof typeof PATTERN_WORDS, string> = {
    name: subject.name,
    stem,
    words: wordsOfName(stem),
    folder: folderName(subject.folder),
    title: subject.title ?? '',
    year: subject.capturedAt?.slice(0, 4) ?? '',
  };
  const filled = pattern.replace(/\{(\w+)\}/g, (whole, key: string) =>
    Object.hasOwn(values, key) ? values[key as keyof typeof values] : whole,
  );
  // A separator next to an unknown value is removed, too: "Storm, " becomes "Storm".
  return filled.replace(/^[\s,;:–-]+|[\s,;:–-]+$/g, '');
}

/** `gannet-head_at-dusk-03` becomes `Gannet head at dusk`. */
function wordsOfName(stem: string): string {
  const words = stem
    .replace(/[-_.+]+/g, ' ')
    .replace(/\s+\(?\d{1,4}\)?\s*$/, '')
    .replace(/\s+/g, ' ')
    .trim();
  return words.charAt(0).toLocaleUpperCase() + words.slice(1);
}

function unique(words: readonly string[]): string[] {
  return [...new Set(words.map((word) => word.trim()).filter((word) => word !== ''))];
}
