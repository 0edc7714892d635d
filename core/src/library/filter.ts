import type { RenditionState } from '../recipes/recipe.js';
import type { Kind } from './kinds.js';

/** The texts that a filter can look into one by one. */
export const FILTER_TEXTS = ['title', 'alt', 'caption', 'credit', 'keyword'] as const;
export type FilterText = (typeof FILTER_TEXTS)[number];

/** The numbers that a filter can compare. Sizes are bytes, sides are pixels, the ratio is width by height. */
export const FILTER_NUMBERS = ['size', 'width', 'height', 'ratio'] as const;
export type FilterNumber = (typeof FILTER_NUMBERS)[number];

/** A span of numbers; null is without an end. An open end does not belong to it. */
export interface NumberSpan {
  min: number | null;
  max: number | null;
  isMinOpen: boolean;
  isMaxOpen: boolean;
}

/** A span of time, UTC ISO 8601; `from` belongs to it and `until` doesn't. */
export interface TimeSpan {
  from: string | null;
  until: string | null;
}

/** One thing that is asked of an asset. */
export type Condition =
  | { field: 'words'; text: string; isPhrase: boolean }
  | { field: 'kind'; values: Kind[] }
  /** Media types (`image/jpeg`) and wildcards of them (`image/*`). */
  | { field: 'type'; mimes: string[] }
  | { field: 'folder'; path: string }
  | ({ field: FilterNumber } & NumberSpan)
  | { field: 'captured'; span: TimeSpan | null }
  | { field: 'added'; span: TimeSpan }
  /** `contains` null asks whether there is any. */
  | { field: FilterText; isFilled: boolean; contains: string | null }
  | { field: 'used'; value: boolean }
  | { field: 'recipe'; name: string; state: RenditionState | null }
  | { field: 'copy'; store: string }
  | { field: 'duplicate'; value: boolean }
  /** Pictures that look like the one with this id, up to so many differing bits of their perceptual hashes. */
  | { field: 'near'; id: string; distance: number };

/** What a filter asks, as a tree. */
export type Filter =
  | { op: 'is'; condition: Condition }
  | { op: 'not'; filter: Filter }
  | { op: 'and' | 'or'; filters: Filter[] };

/** Why a filter can't be read: where in the text, and what would do instead. */
export interface FilterError {
  /** Where the faulty part begins, in UTF-16 code units. */
  position: number;
  length: number;
  message: string;
  /** The whole text with the faulty part mended; null when nothing is near. */
  suggestion: string | null;
}

export type FilterResult = { ok: true; filter: Filter | null } | { ok: false; error: FilterError };

/** How a field is written, for completion and for the explanation of the language. */
export interface FilterField {
  name: string;
  /** What it asks, in a few words. */
  hint: string;
  example: string;
  /** Takes `>`, `<` and ranges beside the colon. */
  isOrdered: boolean;
  /** Values that are always there. */
  values: readonly string[];
}

const RENDITION_WORDS: readonly RenditionState[] = ['fresh', 'due', 'outdated', 'failed', 'surplus'];
const KIND_WORDS: readonly Kind[] = ['image', 'document', 'audio', 'video', 'vector', 'archive', 'link'];

const field = (
  name: string,
  hint: string,
  example: string,
  values: readonly string[] = [],
  isOrdered = false,
): FilterField => ({ name, hint, example, isOrdered, values });

/** Every field of the language. */
export const FILTER_FIELDS: readonly FilterField[] = [
  field('kind', 'what it is', 'kind:image', KIND_WORDS),
  field('type', 'extension or media type', 'type:jpg'),
  field('folder', 'in a folder or below it', 'folder:/lights'),
  field('size', 'bytes, kb, mb, gb', 'size>2mb', [], true),
  field('width', 'pixels', 'width>=1600', [], true),
  field('height', 'pixels', 'height<400', [], true),
  field('ratio', 'width by height', 'ratio:3:2', ['square', 'landscape', 'portrait'], true),
  field('title', 'words in it, any or none', 'title:none', ['none', 'any']),
  field('alt', 'alternative text', 'alt:none', ['none', 'any']),
  field('caption', 'words in it, any or none', 'caption:any', ['none', 'any']),
  field('credit', 'words in it, any or none', 'credit:none', ['none', 'any']),
  field('keyword', 'one keyword, any or none', 'keyword:storm', ['none', 'any']),
  field('captured', 'when it was taken', 'captured:2025-05..2025-09', ['none', 'today'], true),
  field('added', 'when it arrived', 'added:7d', ['today', '7d', '30d'], true),
  field('used', 'on a page', 'used:no', ['yes', 'no']),
  field('recipe', 'has a rendition', 'recipe:wide=failed', []),
  field('copy', 'bytes in a store', 'copy:server', []),
  field('duplicate', 'same bytes elsewhere', 'duplicate:yes', ['yes', 'no']),
  field('near', 'looks like an asset', 'near:1204', []),
];

/** The words after `=` in `recipe:wide=failed`. */
export const RECIPE_STATES_IN_FILTERS = RENDITION_WORDS;

/** How far apart two pictures may be for `near:` without a distance, in bits of 64. */
export const DEFAULT_NEAR_DISTANCE = 6;
/** The farthest that is looked for. */
export const MAX_NEAR_DISTANCE = 11;
