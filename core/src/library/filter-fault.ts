import type { Term } from './filter-tokens.js';
import type { Read } from './filter-values.js';
import { nearestWord } from './nearest.js';

/** A part of a filter that cannot be read, with its position. Thrown by readers and reported by `parseFilter`. */
export class FilterFault extends Error {
  readonly #place: { start: number; end: number };
  readonly #instead: string | null;

  /** @param instead a valid replacement for the faulty part */
  constructor(message: string, place: { start: number; end: number }, instead: string | null = null) {
    super(message);
    this.#place = place;
    this.#instead = instead;
  }

  toError(text: string) {
    const { start, end } = this.#place;
    return {
      position: start,
      length: end - start,
      message: this.message,
      suggestion: this.#instead === null ? null : text.slice(0, start) + this.#instead + text.slice(end),
    };
  }
}

/** The position of a term's value. */
export function valuePlace({ valueStart, end }: Term): { start: number; end: number } {
  return { start: valueStart, end };
}

/** Reads each of the comma-separated values. */
export function eachValue<Value>(term: Term, read: (value: string) => Value): Value[] {
  return term.value.split(',').map(read);
}

/**
 * Reads one of several words.
 *
 * @param before the part of the value before the word
 * @throws FilterFault with the nearest of them
 */
export function chooseWord(term: Term, value: string, words: readonly string[], before = ''): string {
  const lower = value.toLowerCase();
  if (words.includes(lower)) return lower;
  const nearest = nearestWord(lower, words);
  const others = term.value.includes(',')
    ? term.value
        .split(',')
        .map((one) => (one === value ? (nearest ?? words[0]) : one))
        .join(',')
    : `${before}${nearest ?? words[0]}`;
  throw new FilterFault(`${term.field} is one of ${words.join(', ')}`, valuePlace(term), others);
}

/** Returns the parsed value. @throws FilterFault when parsing failed */
export function takeValue<Value>(term: Term, read: Read<Value>): Value {
  if ('value' in read) return read.value;
  throw new FilterFault(read.message, valuePlace(term), read.instead ?? null);
}
