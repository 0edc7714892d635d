import type { AssetTexts } from '@uniferum/core/library';
import { type FileFacts, REQUIRABLE_TEXTS, type RequirableText } from '@uniferum/core/rules';
import { type AssetRow, textsOf } from '../library/asset-queries.js';

/** The texts that are filled in. */
export function filledTexts(texts: AssetTexts): RequirableText[] {
  return REQUIRABLE_TEXTS.filter((field) => (texts[field] ?? '').length > 0);
}

type JudgedRow = Pick<
  AssetRow,
  'name' | 'bytes' | 'mime' | 'width' | 'height' | 'title' | 'alt' | 'caption' | 'credit' | 'keywords'
>;

/** The facts by which rules judge an existing file. */
export function factsOfRow(row: JudgedRow): FileFacts {
  const { name, bytes, mime, width, height } = row;
  return { name, bytes, mime, width, height, texts: filledTexts(textsOf(row)) };
}
