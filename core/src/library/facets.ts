import type { AssetTexts } from './asset.js';
import type { Kind } from './kinds.js';

/**
 * The facets by which live assets are counted. `missing` counts empty texts, `copy` the stores, `word` the words of
 * all texts.
 */
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

/** A facet value of an asset. `num` orders numeric values and days. */
export interface Facet {
  scope: FacetScope;
  name: string;
  num: number | null;
}

/** The properties of an asset that are counted. */
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
/** The number of classes per doubling of the size: few assets per class, and few classes per range. */
const CLASSES_PER_DOUBLING = 32;
const MAX_FACET_NAME = 190;

/** The size class of a number of bytes; classes have the order of the sizes. */
export function sizeClass(bytes: number): number {
  return Math.floor(Math.log2(bytes + 1) * CLASSES_PER_DOUBLING);
}

/** The smallest size in a class, in bytes. */
export function sizeClassFloor(sizeClassNumber: number): number {
  let floor = Math.max(0, Math.ceil(2 ** (sizeClassNumber / CLASSES_PER_DOUBLING) - 1));
  // The logarithm is inexact at the edges; `sizeClass` decides.
  while (floor > 0 && sizeClass(floor - 1) >= sizeClassNumber) floor -= 1;
  while (sizeClass(floor) < sizeClassNumber) floor += 1;
  return floor;
}

/** The day of a time, in days since 1970 (UTC). */
export function dayNumber(iso: string): number {
  return Math.floor(Date.parse(iso) / DAY_MS);
}

/** The aspect ratio in thousandths, rounded as the database does. */
export function ratioKey(width: number, height: number): number {
  return Math.round((1000 * width) / height);
}

/** The bit of `missing_fields` for each empty field; see migration 0008. */
export const MISSING_FIELD_BITS = {
  title: 1,
  alt: 2,
  caption: 4,
  credit: 8,
  keyword: 16,
  captured: 32,
} as const;

/**
 * The words of a text as the full-text index splits them: letters, digits and underscores, three to 84 characters,
 * case-insensitive.
 */
export function indexedWords(text: string): string[] {
  return (text.toLocaleLowerCase('en').match(/[\p{L}\p{N}\p{M}_]+/gu) ?? []).filter(
    (word) => word.length >= 3 && word.length <= 84,
  );
}

/** Lists all facet values of an asset, without repeats. */
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
