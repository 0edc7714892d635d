import { describe, expect, test } from 'vitest';
import { decodeMarkup, readProlog, wideEncoding } from './markup.js';

describe('the first element', () => {
  test.each([
    ['<svg>', 'svg'],
    ['<svg/>', 'svg'],
    ['<s:svg xmlns:s="x">', 's:svg'],
    ['  \n\t<svg >', 'svg'],
    ['<?xml version="1.0"?><svg>', 'svg'],
    ['<?xml?><?style a?>\n<svg>', 'svg'],
    ['<!-- a > b --><svg>', 'svg'],
    ['<!----><svg>', 'svg'],
    ['<!DOCTYPE svg><svg>', 'svg'],
    ['<!doctype svg PUBLIC "a>b" \'c>d\'><svg>', 'svg'],
    ['<!DOCTYPE svg [<!ENTITY a "]>">]><svg>', 'svg'],
    ['<!DOCTYPE svg [<!-- ]> \' " --><!ENTITY a "b">]><svg>', 'svg'],
    ['<!DOCTYPE svg [<!---->]><svg>', 'svg'],
    ['<!DOCTYPE svg [] ><svg>', 'svg'],
    // Outside of the internal subset there are no comments.
    ['<!DOCTYPE svg <!-- ><svg>', 'svg'],
  ])('%s', (text, root) => {
    expect(readProlog(text)).toEqual({ root, isUnfinished: false });
  });

  test.each(['text', 'a<svg>', '< svg>', '<>', '</svg>', '<!-- a -->text'])('%s has none', (text) => {
    expect(readProlog(text)).toEqual({ root: null, isUnfinished: false });
  });

  test.each([
    '',
    '   ',
    '<',
    '<sv',
    '<svg',
    '<?xml',
    '<?xml ?',
    '<!',
    '<!-',
    '<!--',
    '<!-->',
    '<!-- a',
    '<!D',
    '<!DOCTYP',
    '<!DOCTYPE',
    '<!DOCTYPE svg "',
    '<!DOCTYPE svg "a>',
    "<!DOCTYPE svg 'a>",
    '<!DOCTYPE svg [>',
    '<!DOCTYPE svg [<!-- ]>',
    '<!DOCTYPE svg>',
    '<!-- a -->',
  ])('%s is not finished', (text) => {
    expect(readProlog(text)).toEqual({ root: null, isUnfinished: true });
  });

  test.each(['<!x', '<!DOCTYPX svg>', '<!-x'])('%s is something else', (text) => {
    expect(readProlog(`${text} and more>`)).toMatchObject({ isUnfinished: false });
  });
});

/** Source: XML 1.0, Appendix F. */
describe('encodings', () => {
  test.each([
    [[0xff, 0xfe], 'utf-16le'],
    [[0x3c, 0x00], 'utf-16le'],
    [[0xfe, 0xff], 'utf-16be'],
    [[0x00, 0x3c], 'utf-16be'],
    [[0xff, 0x00], null],
    [[0x00, 0xfe], null],
    [[0xfe, 0x3c], null],
    [[0x3c, 0xff], null],
    [[0x00, 0x00], null],
    [[0x3c, 0x3f], null],
    [[0xff], null],
    [[0x3c], null],
    [[], null],
  ])('%j', (bytes, encoding) => {
    expect(wideEncoding(Uint8Array.from(bytes))).toBe(encoding);
  });

  test('a mark is no part of the text', () => {
    expect(decodeMarkup(Uint8Array.from([0xff, 0xfe, 0x3c, 0x00]))).toBe('<');
    expect(decodeMarkup(Uint8Array.from([0xef, 0xbb, 0xbf, 0x3c]))).toBe('<');
    expect(decodeMarkup(new TextEncoder().encode('<a>\ufeff'))).toBe('<a>\ufeff');
  });
});
