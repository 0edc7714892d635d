import type { AssetTexts } from './asset.js';
import { truncate } from './truncate.js';

/** The maximum lengths of texts, in UTF-16 code units; for keywords the maximum length of each, and their number. */
export const TEXT_LIMITS = {
  title: 500,
  alt: 5000,
  caption: 5000,
  credit: 500,
  keyword: 100,
  keywords: 200,
} as const;

const PLAIN = ['title', 'alt', 'caption', 'credit'] as const;

/** A text that exceeds the maximum. */
export interface LongText {
  field: keyof AssetTexts;
  limit: number;
  actual: number;
}

/** Lists the texts that exceed the maximum. */
export function findLongTexts(texts: Partial<AssetTexts>): LongText[] {
  const found: LongText[] = [];
  for (const field of PLAIN) {
    const actual = texts[field]?.length ?? 0;
    if (actual > TEXT_LIMITS[field]) found.push({ field, limit: TEXT_LIMITS[field], actual });
  }
  const { keywords = [] } = texts;
  const longest = keywords.reduce((most, word) => Math.max(most, word.length), 0);
  if (keywords.length > TEXT_LIMITS.keywords)
    found.push({ field: 'keywords', limit: TEXT_LIMITS.keywords, actual: keywords.length });
  else if (longest > TEXT_LIMITS.keyword)
    found.push({ field: 'keywords', limit: TEXT_LIMITS.keyword, actual: longest });
  return found;
}

/** Shortens texts to the maximum: the beginning of long ones, and the first keywords. */
export function fitTexts(texts: AssetTexts): { texts: AssetTexts; shortened: LongText[] } {
  const shortened = findLongTexts(texts);
  if (shortened.length === 0) return { texts, shortened };
  const fit = (field: (typeof PLAIN)[number]) =>
    texts[field] === null ? null : cut(texts[field], TEXT_LIMITS[field]);
  const keywords = texts.keywords.map((word) => cut(word, TEXT_LIMITS.keyword));
  return {
    shortened,
    texts: {
      title: fit('title'),
      alt: fit('alt'),
      caption: fit('caption'),
      credit: fit('credit'),
      keywords: [...new Set(keywords)].slice(0, TEXT_LIMITS.keywords),
    },
  };
}

/** Shortens a text to a limit, without spaces at the end of what is left. */
function cut(text: string, length: number): string {
  return text.length <= length ? text : truncate(text, length).trimEnd();
}
