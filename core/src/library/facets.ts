import type { AssetTexts } from './asset.js';
import type { Kind } from './kinds.js';

/** What counts of live assets are kept by. `missing` counts empty texts, `copy` the stores, `word` the words of all texts. */
export type FacetScope =
  | 'kind'
  | 'mime'
  | 'size'
  | 'width'
  | 'height'
  | 'ratio'
  | 'captured'
  | 'added'
  | 'missing'
  | 'keyword'
  | 'credit'
  | 'copy'
  | 'word';

/** One thing that an asset is counted under. `num` orders those that are numbers or days. */
export interface Facet {
  scope: FacetScope;
  name: string;
  num: number | null;
}

/** What of an asset is counted. */
export interface FacetSubject extends Readonly<AssetTexts> {
  name: string;
  kind: Kind;
  mime: string;
  bytes: number;
  width: number | null;
  height: number | null;
  capturedAt: string | null;
  createdAt: string;
  store: string | null;
}

const DAY_MS = 86_400_000;
/** So many classes for each doubling of the size: a class holds few assets, and a range is a sum over few classes. */
const CLASSES_PER_DOUBLING = 32;
const MAX_FACET_NAME = 190;

/** The size class of a number of bytes; classes are ordered as the sizes are. */
export function sizeClass(bytes: number): number {
  return Math.floor(Math.log2(bytes + 1) * CLASSES_PER_DOUBLING);
}

/** The smallest number of bytes in a size class. */
export function sizeClassFloor(sizeClassNumber: number): number {
  let floor = Math.max(0, Math.ceil(2 ** (sizeClassNumber / CLASSES_PER_DOUBLING) - 1));
  // The logarithm is not exact at the edges; the class of a number is what `sizeClass` says.
  while (floor > 0 && sizeClass(floor - 1) >= sizeClassNumber) floor -= 1;
  while (sizeClass(floor) < sizeClassNumber) floor += 1;
  return floor;
}

/** The day of a moment, in days since 1970 (UTC). */
export function dayNumber(iso: string): number {
  return Math.floor(Date.parse(iso) / DAY_MS);
}

/** The ratio of width by height in thousandths, as the database rounds it. */
export function ratioKey(width: number, height: number): number {
  return Math.round((1000 * width) / height);
}

/** Which bit of `missing_fields` stands for which empty field; see migration 0008. */
export const MISSING_FIELD_BITS = {
  title: 1,
  alt: 2,
  caption: 4,
  credit: 8,
  keyword: 16,
  captured: 32,
} as const;

/**
 * The words of a text as the full-text index cuts them: letters, digits and underscores, from three to 84 characters,
 * without case.
 */
export function indexedWords(text: string): string[] {
  return (text.toLocaleLowerCase('en').match(/[\p{L}\p{N}\p{M}_]+/gu) ?? []).filter(
    (word) => word.length >= 3 && word.length <= 84,
  );
}

/** Lists everything that an asset is counted under, each once. */
export function facetsOf(asset: FacetSubject): Facet[] {
  const plain = (scope: FacetScope, name: string): Facet => ({
    scope,
    name: name.slice(0, MAX_FACET_NAME),
    num: null,
  });
  const number = (scope: FacetScope, num: number): Facet => ({ scope, name: String(num), num });
  const facets = [
    plain('kind', asset.kind),
    plain('mime', asset.mime),
    number('size', sizeClass(asset.bytes)),
    number('added', dayNumber(asset.createdAt)),
  ];
  if (asset.width !== null && asset.height !== null) {
    facets.push(number('width', asset.width), number('height', asset.height));
    if (asset.height > 0) facets.push(number('ratio', ratioKey(asset.width, asset.height)));
  }
  if (asset.capturedAt !== null) facets.push(number('captured', dayNumber(asset.capturedAt)));
  if (asset.credit !== null) facets.push(plain('credit', asset.credit));
  if (asset.store !== null) facets.push(plain('copy', asset.store));
  for (const keyword of new Set(asset.keywords.map((word) => word.toLocaleLowerCase('en'))))
    facets.push(plain('keyword', keyword));
  const filled = {
    title: asset.title,
    alt: asset.alt,
    caption: asset.caption,
    credit: asset.credit,
    keyword: asset.keywords.length > 0 ? 'some' : null,
    captured: asset.capturedAt,
  };
  for (const [name, value] of Object.entries(filled)) if (value === null) facets.push(plain('missing', name));
  const texts = [asset.name, asset.title, asset.alt, asset.caption, asset.credit, ...asset.keywords];
  const words = new Set(texts.flatMap((text) => indexedWords(text ?? '')));
  for (const word of words) facets.push(plain('word', word));
  return facets;
}
