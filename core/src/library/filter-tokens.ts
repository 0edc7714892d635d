/** A token of a filter, with its position. */
export type Token =
  | { kind: 'open' | 'close' | 'or' | 'and' | 'not' | 'end'; start: number; end: number }
  | { kind: 'word'; text: string; isQuoted: boolean; start: number; end: number }
  | Term;

/** A field with its value: `size>2mb`. */
export interface Term {
  kind: 'term';
  field: string;
  operator: Operator;
  value: string;
  /** A quoted value is taken literally. */
  isQuoted: boolean;
  start: number;
  end: number;
  valueStart: number;
}

export type Operator = ':' | '>' | '>=' | '<' | '<=' | '=';

/** Of names with digits only this one is a field: `f16:9` is a word. */
const TERM_HEAD = /(sha256|[a-z]+)(>=|<=|:|>|<|=)/iy;
const BARE = /[^\s()"]+/y;
const CONNECTIVES = new Set(['or', 'and', 'not']);

/** Splits a filter into tokens; the last one is always `end`. An unclosed quote extends to the end of the text. */
export function tokenize(text: string): Token[] {
  const tokens: Token[] = [];
  let at = 0;
  while (at < text.length) {
    const char = text[at] as string;
    if (/\s/.test(char)) {
      at += 1;
    } else if (char === '(' || char === ')') {
      tokens.push({ kind: char === '(' ? 'open' : 'close', start: at, end: at + 1 });
      at += 1;
    } else {
      const token = char === '"' ? readWord(text, at) : (readTerm(text, at) ?? readWord(text, at));
      tokens.push(token);
      at = token.end;
    }
  }
  tokens.push({ kind: 'end', start: text.length, end: text.length });
  return tokens;
}

function readTerm(text: string, start: number): Token | null {
  TERM_HEAD.lastIndex = start;
  const head = TERM_HEAD.exec(text);
  if (!head) return null;
  const valueStart = TERM_HEAD.lastIndex;
  const { value, isQuoted, end } = readValue(text, valueStart);
  return {
    kind: 'term',
    field: (head[1] as string).toLowerCase(),
    operator: head[2] as Operator,
    value,
    isQuoted,
    start,
    end,
    valueStart,
  };
}

function readWord(text: string, start: number): Token {
  const { value, isQuoted, end } = readValue(text, start);
  const lower = value.toLowerCase();
  if (!isQuoted && CONNECTIVES.has(lower)) return { kind: lower as 'or' | 'and' | 'not', start, end };
  return { kind: 'word', text: value, isQuoted, start, end };
}

function readValue(text: string, start: number): { value: string; isQuoted: boolean; end: number } {
  if (text[start] === '"') {
    const close = text.indexOf('"', start + 1);
    const end = close < 0 ? text.length : close + 1;
    return { value: text.slice(start + 1, close < 0 ? end : close), isQuoted: true, end };
  }
  BARE.lastIndex = start;
  const value = BARE.exec(text)?.[0] ?? '';
  return { value, isQuoted: false, end: start + value.length };
}
