import type { Term } from './filter-tokens.js';
import type { Read } from './filter-values.js';
import { nearestWord } from './nearest.js';

/** A part of a filter that can't be read, with its place. It is thrown by readers and told by `parseFilter`. */
export class FilterFault extends Error {
  readonly #place: { start: number; end: number };
  readonly #instead: string | null;

  /** @param instead what could stand in the faulty place */
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

/** Where the value of a term stands. */
export function valuePlace({ valueStart, end }: Term): { start: number; end: number } {
  return { start: valueStart, end };
}

/** Reads each of the values that commas separate. */
export function eachValue<Value>(term: Term, read: (value: string) => Value): Value[] {
  return term.value.split(',').map(read);
}

/**
 * Reads one of some words.
 *
 * @param before what stands before the word in the value
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

/** Takes a value that was read. @throws FilterFault when it could not be */
export function takeValue<Value>(term: Term, read: Read<Value>): Value {
  if ('value' in read) return read.value;
  throw new FilterFault(read.message, valuePlace(term), read.instead ?? null);
}
