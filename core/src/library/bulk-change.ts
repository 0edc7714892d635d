import type { AssetTexts } from './asset.js';
import { writeTime } from './capture-time.js';
import { splitName } from './names.js';
import { folderName } from './paths.js';

/** The texts that hold one string. */
export const PLAIN_TEXTS = ['title', 'alt', 'caption', 'credit'] as const;
export type PlainText = (typeof PLAIN_TEXTS)[number];

/**
 * What a bulk edit does to each asset, in this order: replace, set, append, fill, shift. `set` takes null to empty a
 * text. `fill` changes only empty texts; its values are patterns, see {@link fillPattern}.
 */
export interface BulkChange {
  set?: Partial<Record<PlainText, string | null>> & { keywords?: string[] };
  append?: Partial<Record<PlainText, string>> & { keywords?: string[] };
  fill?: Partial<Record<PlainText, string>> & { keywords?: string[] };
  removeKeywords?: string[];
  replace?: { field: PlainText | 'keywords'; find: string; with: string }[];
  /** Moves capture dates by so many minutes, for a camera that stood on the wrong time zone. */
  shiftMinutes?: number;
  /** The path of the folder into which they go. */
  folder?: string;
}

/** What of an asset a bulk edit can read and change. */
export interface BulkSubject extends AssetTexts {
  name: string;
  folder: string;
  capturedAt: string | null;
}

/** The values that differ, before and after. */
export interface BulkDifference {
  before: Partial<Omit<BulkSubject, 'name'>>;
  after: Partial<Omit<BulkSubject, 'name'>>;
}

/** What a bulk edit comes to for one asset. */
export type BulkOutcome =
  | ({ kind: 'changed' } & BulkDifference)
  /**
   * `has-one`: only empty texts were to be filled. `no-date`: there is no capture date to shift. `date-limit`: its date would
   * leave the years that are kept. `same`: it is so already.
   */
  | { kind: 'unchanged'; reason: 'has-one' | 'no-date' | 'date-limit' | 'same' };

/** Works out what a bulk edit would do to one asset; carrying it out is writing `after`. */
export function planBulkChange(subject: BulkSubject, change: BulkChange): BulkOutcome {
  const next: BulkSubject = { ...subject, keywords: changeKeywords(subject.keywords, change) };
  for (const field of PLAIN_TEXTS) next[field] = changeText(next, field, change);
  if (change.shiftMinutes && next.capturedAt)
    next.capturedAt =
      writeTime(Date.parse(next.capturedAt) + change.shiftMinutes * 60_000) ?? next.capturedAt;
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
  // Appending twice adds once: a repeated job does no harm.
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

/** What can stand in a pattern, and what it becomes. */
export const PATTERN_WORDS = {
  name: 'the file name',
  stem: 'the file name without its extension',
  words: 'the file name as words, without counting numbers',
  folder: 'the name of the folder',
  title: 'the title',
  year: 'the year in which it was taken',
} as const;

/**
 * Fills a pattern for one asset: `{words}, {folder}` becomes `Storm over the sound, gannet-head`. What is not known
 * becomes nothing.
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
  // What separates from something that is not known goes with it: "Storm, " is "Storm".
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
