import type { Condition, Filter, FilterField, FilterResult } from './filter.js';
import { FilterFault } from './filter-fault.js';
import { LIBRARY_FIELDS } from './filter-fields.js';
import { type Term, type Token, tokenize } from './filter-tokens.js';
import { nearestWord } from './nearest.js';

/** No person writes deeper nesting than this. */
const MAX_DEPTH = 20;
const MAX_TERMS = 60;

/**
 * Parses a filter. Adjacent terms must all match; `or` binds more weakly, `not` more strongly; parentheses group;
 * quotes keep words together. An empty text matches everything.
 *
 * @param nowMs the time from which `today` and `7d` count, milliseconds since 1970
 * @param plugged fields added by other rooms
 */
export function parseFilter(text: string, nowMs: number, plugged: readonly FilterField[] = []): FilterResult {
  try {
    return { ok: true, filter: new Parser(text, nowMs, [...LIBRARY_FIELDS, ...plugged]).parse() };
  } catch (error) {
    if (error instanceof FilterFault) return { ok: false, error: error.toError(text) };
    throw error;
  }
}

class Parser {
  readonly #tokens: Token[];
  readonly #nowMs: number;
  readonly #fields: readonly FilterField[];
  #at = 0;
  #terms = 0;

  constructor(text: string, nowMs: number, fields: readonly FilterField[]) {
    this.#tokens = tokenize(text);
    this.#nowMs = nowMs;
    this.#fields = fields;
  }

  parse(): Filter | null {
    if (this.#peek().kind === 'end') return null;
    const filter = this.#any(0);
    const rest = this.#peek();
    if (rest.kind !== 'end') throw new FilterFault('unmatched ")"', rest, '');
    return filter;
  }

  #any(depth: number): Filter {
    if (depth > MAX_DEPTH) throw new FilterFault('the filter is nested too deeply', this.#peek());
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
          token.kind === 'or' ? '"or" needs a condition on both sides' : 'a condition is missing here';
        throw new FilterFault(what, token.kind === 'end' ? this.#lastPlace() : token, '');
      }
      filters.push(this.#one(depth));
    }
  }

  #one(depth: number): Filter {
    const token = this.#next();
    switch (token.kind) {
      case 'not':
        if (this.#peek().kind === 'end') throw new FilterFault('"not" needs a condition after it', token, '');
        return { op: 'not', filter: this.#one(depth + 1) };
      case 'open': {
        const filter = this.#any(depth + 1);
        const close = this.#next();
        if (close.kind !== 'close') throw new FilterFault('this "(" is never closed', token, '');
        return filter;
      }
      case 'word':
        return this.#is(token, { field: 'words', text: token.text, isPhrase: token.isQuoted });
      case 'term':
        return this.#is(token, readCondition(token, this.#nowMs, this.#fields));
      default:
        throw new FilterFault('a condition is missing here', token, '');
    }
  }

  #is(place: { start: number; end: number }, condition: Condition): Filter {
    this.#terms += 1;
    if (this.#terms > MAX_TERMS) throw new FilterFault(`a filter has at most ${MAX_TERMS} conditions`, place);
    if (condition.field === 'words' && condition.text.trim() === '')
      throw new FilterFault('the quotes are empty', place, '');
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

function readCondition(term: Term, nowMs: number, fields: readonly FilterField[]): Condition {
  const spec = fields.find(({ name }) => name === term.field);
  if (!spec) throw unknownField(term, fields);
  if (!spec.isOrdered && term.operator !== ':' && term.operator !== '=')
    throw new FilterFault(
      `${spec.name} does not support ${term.operator}; use ${spec.example}`,
      term,
      spec.example,
    );
  if (term.value === '')
    throw new FilterFault(`${spec.name} needs a value; use ${spec.example}`, term, spec.example);
  return spec.read(term, nowMs);
}

function unknownField(term: Term, fields: readonly FilterField[]): FilterFault {
  const nearest = nearestWord(
    term.field,
    fields.map(({ name }) => name),
  );
  const place = { start: term.start, end: term.valueStart };
  return nearest === null
    ? new FilterFault(`unknown field "${term.field}"; put words in quotes to search for them`, term)
    : new FilterFault(
        `unknown field "${term.field}"; did you mean ${nearest}?`,
        place,
        `${nearest}${term.operator}`,
      );
}
