import { tokenize, tokenTypes } from 'css-tree/tokenizer';
import { string as cssString, url as cssUrl } from 'css-tree/utils';
import type { Found } from './reference.js';
import type { Escaper, View } from './view.js';

const MAY_REFER = /url\(|image-set\(|@import|src\(/i;
/** Functions that take addresses as strings. Source: CSS Images 4, 2.4 (image-set); CSS Values 4, 4.5 (url, src). */
const TAKES_STRINGS = /^(?:url|src|-webkit-image-set|image-set)$/i;
const URL_FUNCTION = /^url\(\s*/i;

/** Within quotes, a quote and a backslash are escaped. Source: CSS Syntax 3, 4.3.5. */
const escapeString: Escaper = (address) => address.replace(/["'\\]/g, '\\$&');
/** Without quotes, also parentheses. Source: CSS Syntax 3, 4.3.6. */
const escapeUrl: Escaper = (address) => address.replace(/["'()\\]/g, '\\$&');

/** Finds the references of a style sheet or of a list of declarations. */
export function findInCss(view: View, found: Found): void {
  const { text } = view;
  if (!MAY_REFER.test(text)) return;
  const open: string[] = [];
  let rule: string | null = null;
  tokenize(text, (type, from, to) => {
    switch (type) {
      case tokenTypes.AtKeyword:
        rule = text.slice(from + 1, to).toLowerCase();
        break;
      case tokenTypes.Semicolon:
      case tokenTypes.LeftCurlyBracket:
        rule = null;
        break;
      case tokenTypes.Function:
        open.push(text.slice(from, to - 1));
        break;
      case tokenTypes.LeftParenthesis:
        open.push('');
        break;
      case tokenTypes.RightParenthesis:
        open.pop();
        break;
      case tokenTypes.Url:
        if (rule !== 'namespace') addUrl(view, { from, to }, found, attributeOf(rule, 'url'));
        break;
      case tokenTypes.String: {
        const [inner = ''] = open.slice(-1);
        const isAddress = TAKES_STRINGS.test(inner) || (rule === 'import' && open.length === 0);
        if (isAddress && rule !== 'namespace')
          addString(view, { from, to }, found, attributeOf(rule, inner.toLowerCase()));
        break;
      }
    }
  });
}

function attributeOf(rule: string | null, name: string): string {
  return rule === 'import' ? 'css @import' : `css ${name.replace('-webkit-', '')}()`;
}

interface Token {
  from: number;
  to: number;
}

function addUrl(view: View, { from, to }: Token, found: Found, attribute: string): void {
  const token = view.text.slice(from, to);
  const begin = from + (URL_FUNCTION.exec(token)?.[0].length ?? 0);
  const isClosed = token.endsWith(')');
  const part = view.slice(begin, isClosed ? to - 1 : to, escapeUrl);
  const text = token.includes('\\') ? cssUrl.decode(isClosed ? token : `${token})`) : part.text;
  found.add(part, { from: 0, to: part.text.length }, { attribute, text });
}

function addString(view: View, { from, to }: Token, found: Found, attribute: string): void {
  const token = view.text.slice(from, to);
  const isClosed = token.length > 1 && token.endsWith(token.charAt(0));
  const part = view.slice(from + 1, isClosed ? to - 1 : to, escapeString);
  const text = token.includes('\\')
    ? cssString.decode(isClosed ? token : token + token.charAt(0))
    : part.text;
  found.add(part, { from: 0, to: part.text.length }, { attribute, text });
}
