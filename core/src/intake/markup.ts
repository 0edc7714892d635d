/** The beginning of a text that may be markup. */
export interface Prolog {
  /** The name of the root element, with its prefix; null when there is none. */
  root: string | null;
  /** The text ends before this can be decided. */
  isUnfinished: boolean;
}

const UNFINISHED: Prolog = { root: null, isUnfinished: true };
const NONE: Prolog = { root: null, isUnfinished: false };

/** Decodes text by its byte order mark, or by the zero bytes around its first bracket. Source: XML 1.0, Appendix F. */
export function decodeMarkup(bytes: Uint8Array): string {
  return new TextDecoder(wideEncoding(bytes) ?? 'utf-8').decode(bytes).replace(/^\ufeff/, '');
}

/** UTF-16, when the first bytes say so; null for ASCII-compatible encodings. */
export function wideEncoding([first = 1, second = 1]: Uint8Array): 'utf-16le' | 'utf-16be' | null {
  if ((first === 0xff && second === 0xfe) || (first === 0x3c && second === 0)) return 'utf-16le';
  if ((first === 0xfe && second === 0xff) || (first === 0 && second === 0x3c)) return 'utf-16be';
  return null;
}

/**
 * Finds the root element after whitespace, instructions, comments, and a document type with its internal subset, each
 * of any length. Source: XML 1.0, productions 22 to 28.
 */
export function readProlog(text: string): Prolog {
  for (let at = skipSpace(text, 0); ; at = skipSpace(text, at)) {
    if (at >= text.length) return UNFINISHED;
    if (text[at] !== '<') return NONE;
    const end = skipMisc(text, at);
    if (end === 'unfinished') return UNFINISHED;
    if (end === null) return readName(text, at + 1);
    at = end;
  }
}

/** The end of an instruction, comment or document type; null when there is none. */
function skipMisc(text: string, at: number): number | 'unfinished' | null {
  const until = (mark: string, from: number) => {
    const end = text.indexOf(mark, from);
    return end < 0 ? 'unfinished' : end + mark.length;
  };
  if (text.startsWith('<?', at)) return until('?>', at + 2);
  if (text.startsWith('<!--', at)) return until('-->', at + 4);
  const start = text.slice(at, at + 9).toLowerCase();
  if (start === '<!doctype') return skipDoctype(text, at + 9);
  return start.length < 9 && ('<!doctype'.startsWith(start) || '<!--'.startsWith(start))
    ? 'unfinished'
    : null;
}

function skipDoctype(text: string, from: number): number | 'unfinished' {
  let isInSubset = false;
  for (let at = from; at < text.length; at += 1) {
    const character = text[at];
    if (character === '"' || character === "'") {
      const end = text.indexOf(character, at + 1);
      if (end < 0) return 'unfinished';
      at = end;
    } else if (isInSubset && text.startsWith('<!--', at)) {
      const end = text.indexOf('-->', at + 4);
      if (end < 0) return 'unfinished';
      at = end + 2;
    } else if (character === '[') isInSubset = true;
    else if (character === ']') isInSubset = false;
    else if (character === '>' && !isInSubset) return at + 1;
  }
  return 'unfinished';
}

function readName(text: string, from: number): Prolog {
  const name = /[^\s/>]*/y;
  name.lastIndex = from;
  const found = name.exec(text)?.[0] ?? '';
  if (from + found.length >= text.length) return UNFINISHED;
  return found === '' ? NONE : { root: found, isUnfinished: false };
}

function skipSpace(text: string, from: number): number {
  const space = /\s*/y;
  space.lastIndex = from;
  return from + (space.exec(text)?.[0].length ?? 0);
}
