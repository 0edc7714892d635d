import { createScanner } from 'jsonc-parser';
import { type Found, isAddressLike, MARKUP } from './reference.js';
import type { Escaper, View } from './view.js';

/** Tokens of the scanner, whose own names are not there at run time. */
const TOKEN = { colon: 6, string: 10, end: 17 } as const;

/** Source: RFC 8259, 7. */
const escapeJson: Escaper = (address) => address.replace(/["\\]/g, '\\$&');
const ESCAPED = /\\(?:u([0-9a-fA-F]{4})|(["\\/bfnrt]))/g;
const SIGNS: Record<string, string> = { b: '\b', f: '\f', n: '\n', r: '\r', t: '\t' };

/** Finds the strings of JSON that are addresses, and the references of those that are HTML. */
export function findInJson(view: View, found: Found): void {
  const scanner = createScanner(view.text, true);
  let key = '';
  let kind: number = scanner.scan();
  while (kind !== TOKEN.end) {
    if (kind !== TOKEN.string) {
      kind = scanner.scan();
      continue;
    }
    const value = scanner.getTokenValue();
    const from = scanner.getTokenOffset() + 1;
    const to = scanner.getTokenOffset() + scanner.getTokenLength() - 1;
    kind = scanner.scan();
    if (kind === TOKEN.colon) key = value;
    else if (isAddressLike(value)) {
      const part = unescaped(view, from, to);
      found.add(part, { from: 0, to: part.text.length }, { attribute: `json ${key}`.trim() });
    } else if (MARKUP.test(value)) found.readWithin('html', unescaped(view, from, to));
  }
}

function unescaped(view: View, from: number, to: number): View {
  return view.unescape(from, to, escapesOf(view.text, from, to), escapeJson);
}

function* escapesOf(text: string, from: number, to: number) {
  for (const match of text.slice(from, to).matchAll(ESCAPED)) {
    const at = from + match.index;
    const [whole, digits, sign = ''] = match;
    const character =
      digits === undefined ? (SIGNS[sign] ?? sign) : String.fromCharCode(Number.parseInt(digits, 16));
    yield { from: at, to: at + whole.length, text: character };
  }
}
