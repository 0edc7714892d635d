import { typeByExtension } from '../intake/media-types.js';
import type { RenditionState } from '../recipes/recipe.js';
import {
  type Condition,
  DEFAULT_NEAR_DISTANCE,
  FILTER_FIELDS,
  FILTER_TEXTS,
  type Filter,
  type FilterResult,
  MAX_NEAR_DISTANCE,
  RECIPE_STATES_IN_FILTERS,
} from './filter.js';
import { type Term, type Token, tokenize } from './filter-tokens.js';
import { type Read, readNumberSpan, readTimeSpan } from './filter-values.js';
import { KINDS, type Kind } from './kinds.js';
import { nearestWord } from './nearest.js';
import { parseFolderPath } from './paths.js';

/** Deeper nesting than this is nothing that a person wrote. */
const MAX_DEPTH = 20;
const MAX_TERMS = 60;

/**
 * Reads a filter. Terms that stand side by side must all hold; `or` binds weaker, `not` stronger; parentheses group;
 * quotes keep words together. An empty text asks nothing.
 *
 * @param nowMs the moment from which `today` and `7d` count, milliseconds since 1970
 */
export function parseFilter(text: string, nowMs: number): FilterResult {
  try {
    const parser = new Parser(text, nowMs);
    return { ok: true, filter: parser.parse() };
  } catch (error) {
    if (error instanceof Fault) return { ok: false, error: error.toError(text) };
    throw error;
  }
}

class Fault extends Error {
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

class Parser {
  readonly #tokens: Token[];
  readonly #nowMs: number;
  #at = 0;
  #terms = 0;

  constructor(text: string, nowMs: number) {
    this.#tokens = tokenize(text);
    this.#nowMs = nowMs;
  }

  parse(): Filter | null {
    if (this.#peek().kind === 'end') return null;
    const filter = this.#any(0);
    const rest = this.#peek();
    if (rest.kind !== 'end') throw new Fault('this ")" closes nothing', rest, '');
    return filter;
  }

  #any(depth: number): Filter {
    if (depth > MAX_DEPTH) throw new Fault('the filter is nested too deeply', this.#peek());
    const filters = [this.#all(depth)];
    while (this.#peek().kind === 'or') {
      this.#next();
      filters.push(this.#all(depth));
    }
    return join('or', filters);
  }

  #all(depth: number): Filter {
    const filters: Filter[] = [];
    for (;;) {
      const token = this.#peek();
      if (token.kind === 'and' && filters.length > 0) {
        this.#next();
        continue;
      }
      if (token.kind === 'end' || token.kind === 'close' || token.kind === 'or') {
        if (filters.length > 0) return join('and', filters);
        const what =
          token.kind === 'or' ? '"or" stands between two conditions' : 'a condition is missing here';
        throw new Fault(what, token.kind === 'end' ? this.#lastPlace() : token, '');
      }
      filters.push(this.#one(depth));
    }
  }

  #one(depth: number): Filter {
    const token = this.#next();
    switch (token.kind) {
      case 'not':
        if (this.#peek().kind === 'end') throw new Fault('"not" needs a condition after it', token, '');
        return { op: 'not', filter: this.#one(depth + 1) };
      case 'open': {
        const filter = this.#any(depth + 1);
        const close = this.#next();
        if (close.kind !== 'close') throw new Fault('this "(" is never closed', token, '');
        return filter;
      }
      case 'word':
        return this.#is(token, { field: 'words', text: token.text, isPhrase: token.isQuoted });
      case 'term':
        return this.#is(token, readCondition(token, this.#nowMs));
      default:
        throw new Fault('a condition is missing here', token, '');
    }
  }

  #is(place: { start: number; end: number }, condition: Condition): Filter {
    this.#terms += 1;
    if (this.#terms > MAX_TERMS) throw new Fault(`a filter has at most ${MAX_TERMS} conditions`, place);
    if (condition.field === 'words' && condition.text.trim() === '')
      throw new Fault('there is nothing between the quotes', place, '');
    return { op: 'is', condition };
  }

  #peek(): Token {
    return this.#tokens[this.#at] as Token;
  }

  #next(): Token {
    const token = this.#peek();
    if (token.kind !== 'end') this.#at += 1;
    return token;
  }

  #lastPlace(): Token {
    return this.#tokens[Math.max(0, this.#at - 1)] as Token;
  }
}

function join(op: 'and' | 'or', filters: Filter[]): Filter {
  return filters.length === 1 ? (filters[0] as Filter) : { op, filters };
}

function readCondition(term: Term, nowMs: number): Condition {
  const spec = FILTER_FIELDS.find(({ name }) => name === term.field);
  if (!spec) throw unknownField(term);
  if (!spec.isOrdered && term.operator !== ':' && term.operator !== '=')
    throw new Fault(
      `${spec.name} can't be compared with ${term.operator}; write ${spec.example}`,
      term,
      spec.example,
    );
  if (term.value === '')
    throw new Fault(`${spec.name} needs a value; write ${spec.example}`, term, spec.example);
  const read = READERS[spec.name];
  if (!read) throw new Error(`Expected a reader of the field ${spec.name}, got none`);
  return read(term, nowMs);
}

function unknownField(term: Term): Fault {
  const nearest = nearestWord(
    term.field,
    FILTER_FIELDS.map(({ name }) => name),
  );
  const place = { start: term.start, end: term.valueStart };
  return nearest === null
    ? new Fault(`there is no field "${term.field}"; put words in quotes to search for them`, term)
    : new Fault(
        `there is no field "${term.field}"; ${nearest} is meant?`,
        place,
        `${nearest}${term.operator}`,
      );
}

type Reader = (term: Term, nowMs: number) => Condition;

const readText =
  (field: (typeof FILTER_TEXTS)[number]): Reader =>
  ({ value, isQuoted }) => {
    const word = isQuoted ? '' : value.toLowerCase();
    if (word === 'none' || word === 'any') return { field, isFilled: word === 'any', contains: null };
    return { field, isFilled: true, contains: value };
  };

const readNumber =
  (field: 'size' | 'width' | 'height' | 'ratio'): Reader =>
  (term) => ({ field, ...take(term, readNumberSpan(field, term.operator, term.value)) });

const readYesNo =
  (field: 'used' | 'duplicate'): Reader =>
  (term) => ({ field, value: choose(term, term.value, ['yes', 'no']) === 'yes' });

const READERS: Record<string, Reader> = {
  kind: (term) => ({
    field: 'kind',
    values: eachValue(term, (value) => choose(term, value, KINDS) as Kind),
  }),
  type: (term) => ({ field: 'type', mimes: eachValue(term, (value) => readType(term, value)) }),
  folder: (term) => {
    const parsed = parseFolderPath(term.value);
    if (!parsed.ok) throw new Fault(`this is no folder path: ${parsed.reason}`, valuePlace(term));
    return { field: 'folder', path: parsed.path };
  },
  size: readNumber('size'),
  width: readNumber('width'),
  height: readNumber('height'),
  ratio: readNumber('ratio'),
  ...Object.fromEntries(FILTER_TEXTS.map((field) => [field, readText(field)])),
  captured: (term, nowMs) =>
    term.value.toLowerCase() === 'none'
      ? { field: 'captured', span: null }
      : { field: 'captured', span: take(term, readTimeSpan(term.operator, term.value, nowMs)) },
  added: (term, nowMs) => ({
    field: 'added',
    span: take(term, readTimeSpan(term.operator, term.value, nowMs)),
  }),
  used: readYesNo('used'),
  duplicate: readYesNo('duplicate'),
  recipe: (term) => {
    const [name = '', state] = term.value.split('=');
    if (!/^[a-z0-9-]+$/i.test(name))
      throw new Fault(`"${name}" can't be a recipe's name`, valuePlace(term), 'wide');
    return {
      field: 'recipe',
      name: name.toLowerCase(),
      state:
        state === undefined
          ? null
          : (choose(term, state, RECIPE_STATES_IN_FILTERS, `${name}=`) as RenditionState),
    };
  },
  copy: (term) => ({ field: 'copy', store: term.value }),
  near: (term) => {
    const parts = /^([1-9]\d{0,17})(?:,(\d{1,2}))?$/.exec(term.value);
    if (!parts)
      throw new Fault(
        `near takes the id of an asset, and a distance if you like: near:1204,${DEFAULT_NEAR_DISTANCE}`,
        valuePlace(term),
      );
    const distance = parts[2] === undefined ? DEFAULT_NEAR_DISTANCE : Number(parts[2]);
    if (distance > MAX_NEAR_DISTANCE)
      throw new Fault(
        `the farthest distance is ${MAX_NEAR_DISTANCE}`,
        valuePlace(term),
        `${parts[1]},${MAX_NEAR_DISTANCE}`,
      );
    return { field: 'near', id: parts[1] as string, distance };
  },
};

function readType(term: Term, value: string): string {
  const lower = value.toLowerCase().replace(/^\./, '');
  if (/^[a-z]+\/(?:\*|[a-z0-9.+-]+)$/.test(lower)) return lower;
  const known = typeByExtension(lower);
  if (!known)
    throw new Fault(`"${value}" is no type that is known; write jpg or image/jpeg`, valuePlace(term), 'jpg');
  return known.mime;
}

function eachValue<Value>(term: Term, read: (value: string) => Value): Value[] {
  return term.value.split(',').map(read);
}

function choose(term: Term, value: string, words: readonly string[], before = ''): string {
  const lower = value.toLowerCase();
  if (words.includes(lower)) return lower;
  const nearest = nearestWord(lower, words);
  const others = term.value.includes(',')
    ? term.value
        .split(',')
        .map((one) => (one === value ? (nearest ?? words[0]) : one))
        .join(',')
    : `${before}${nearest ?? words[0]}`;
  throw new Fault(`${term.field} is one of ${words.join(', ')}`, valuePlace(term), others);
}

function take<Value>(term: Term, read: Read<Value>): Value {
  if ('value' in read) return read.value;
  throw new Fault(read.message, valuePlace(term), read.instead ?? null);
}

function valuePlace({ valueStart, end }: Term): { start: number; end: number } {
  return { start: valueStart, end };
}
