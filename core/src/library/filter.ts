import type { Term } from './filter-tokens.js';
import type { Kind } from './kinds.js';

/** The texts that a filter can search individually. */
export const FILTER_TEXTS = ['title', 'alt', 'caption', 'credit', 'keyword'] as const;
export type FilterText = (typeof FILTER_TEXTS)[number];

/** The numbers that a filter can compare. Sizes are bytes, dimensions are pixels, the ratio is width by height. */
export const FILTER_NUMBERS = ['size', 'width', 'height', 'ratio'] as const;
export type FilterNumber = (typeof FILTER_NUMBERS)[number];

/** A range of numbers; null means unbounded. An open end is exclusive. */
export interface NumberSpan {
  min: number | null;
  max: number | null;
  isMinOpen: boolean;
  isMaxOpen: boolean;
}

/** A time range, UTC ISO 8601; `from` is inclusive and `until` exclusive. */
export interface TimeSpan {
  from: string | null;
  until: string | null;
}

/** One condition on an asset. */
export type Condition =
  | { field: 'words'; text: string; isPhrase: boolean }
  | { field: 'kind'; values: Kind[] }
  /** Media types (`image/jpeg`) and wildcards of them (`image/*`). */
  | { field: 'type'; mimes: string[] }
  | { field: 'folder'; path: string }
  | ({ field: FilterNumber } & NumberSpan)
  | { field: 'captured'; span: TimeSpan | null }
  | { field: 'added' | 'updated'; span: TimeSpan }
  /** With `contains` null, asks whether there is any. */
  | { field: FilterText; isFilled: boolean; contains: string | null }
  /** The digest of the bytes, or how it begins, in lower case. */
  | { field: 'sha256'; prefix: string }
  | { field: 'duplicate'; value: boolean }
  /** Pictures similar to the one with this id, up to a number of differing bits of their perceptual hashes. */
  | { field: 'near'; id: string; distance: number }
  /** A field of another room, with the value it parsed. */
  | { field: 'plugged'; name: string; value: unknown };

/** A filter as a tree. */
export type Filter =
  | { op: 'is'; condition: Condition }
  | { op: 'not'; filter: Filter }
  | { op: 'and' | 'or'; filters: Filter[] };

/** Why a filter cannot be read: the position in the text, and a valid alternative. */
export interface FilterError {
  /** The start of the faulty part, in UTF-16 code units. */
  position: number;
  length: number;
  message: string;
  /** The whole text with the faulty part corrected; null without a suggestion. */
  suggestion: string | null;
}

export type FilterResult = { ok: true; filter: Filter | null } | { ok: false; error: FilterError };

/** Possible values in an installation: `folders`, `keywords` and those that rooms add. */
export type FilterVocabulary = Readonly<Record<string, readonly string[]>>;

/** A field of the filter language: how it is written, parsed and completed. */
export interface FilterField {
  name: string;
  /** Its meaning in a few words. */
  hint: string;
  example: string;
  /** Supports `>`, `<` and ranges in addition to the colon. */
  isOrdered: boolean;
  /** Fixed values. */
  values: readonly string[];
  /** @param nowMs milliseconds since 1970 @throws FilterFault */
  read(term: Term, nowMs: number): Condition;
  /** Lists further possible values. */
  propose?(begun: string, vocabulary: FilterVocabulary): readonly string[];
}

/** A field of another room. `Value` is passed to its SQL as plain data. */
export interface PluggedFilterField<Value> extends FilterField {
  read(term: Term, nowMs: number): { field: 'plugged'; name: string; value: Value };
}

/** Declares a field of a room other than the library. */
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

/** The default distance of `near:`, in bits of 64. */
export const DEFAULT_NEAR_DISTANCE = 6;
/** The maximum distance. */
export const MAX_NEAR_DISTANCE = 11;
