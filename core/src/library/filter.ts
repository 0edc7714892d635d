import type { Term } from './filter-tokens.js';
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
  | { field: 'copy'; store: string }
  | { field: 'duplicate'; value: boolean }
  /** Pictures that look like the one with this id, up to so many differing bits of their perceptual hashes. */
  | { field: 'near'; id: string; distance: number }
  /** A field of another room, with what that room reads of it. */
  | { field: 'plugged'; name: string; value: unknown };

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

/** What there is in an installation that can stand as a value: `folders`, `keywords` and what rooms add. */
export type FilterVocabulary = Readonly<Record<string, readonly string[]>>;

/** A field of the language: how it is written, read and proposed. */
export interface FilterField {
  name: string;
  /** What it asks, in a few words. */
  hint: string;
  example: string;
  /** Takes `>`, `<` and ranges beside the colon. */
  isOrdered: boolean;
  /** Values that are always there. */
  values: readonly string[];
  /** @param nowMs milliseconds since 1970 @throws FilterFault */
  read(term: Term, nowMs: number): Condition;
  /** Lists further values that could be meant. */
  propose?(begun: string, vocabulary: FilterVocabulary): readonly string[];
}

/** A field of another room. `Value` is what its SQL gets, as plain data. */
export interface PluggedFilterField<Value> extends FilterField {
  read(term: Term, nowMs: number): { field: 'plugged'; name: string; value: Value };
}

/** States a field of another room than the library. */
export function defineFilterField<Value>({
  read,
  ...spec
}: Pick<FilterField, 'name' | 'hint' | 'example'> &
  Partial<Pick<FilterField, 'isOrdered' | 'values' | 'propose'>> & {
    read(term: Term, nowMs: number): Value;
  }): PluggedFilterField<Value> {
  return {
    isOrdered: false,
    values: [],
    ...spec,
    read: (term, nowMs) => ({ field: 'plugged', name: spec.name, value: read(term, nowMs) }),
  };
}

/** How far apart two pictures may be for `near:` without a distance, in bits of 64. */
export const DEFAULT_NEAR_DISTANCE = 6;
/** The farthest that is looked for. */
export const MAX_NEAR_DISTANCE = 11;
