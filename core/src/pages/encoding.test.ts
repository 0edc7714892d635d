import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { detectEncoding, isUtf8 } from './encoding.js';
import type { DocumentFormat } from './reference.js';

const bytes = (text: string) => Buffer.from(text, 'utf8').toString('latin1');

/** Source: WHATWG HTML, "determining the character encoding" and "prescan a byte stream"; Encoding, 4.2 for labels. */
describe('the encoding of a document', () => {
  test.each<[DocumentFormat, string, string | null, string, string]>([
    ['html', '\u00ef\u00bb\u00bf<meta charset=koi8-r>', 'iso-8859-2', 'utf-8', 'mark'],
    ['html', '\u00ff\u00fe<\0', null, 'utf-16le', 'mark'],
    ['html', '\u00fe\u00ff\0<', null, 'utf-16be', 'mark'],
    ['html', '<meta charset=koi8-r>', 'ISO-8859-2', 'iso-8859-2', 'declared'],
    ['html', '<meta charset=koi8-r>', 'no-such-charset', 'koi8-r', 'document'],
    ['html', '<META  CharSet = "Shift_JIS" >', null, 'shift_jis', 'document'],
    [
      'html',
      "<meta http-equiv='Content-Type' content='text/html; charset=euc-jp'>",
      null,
      'euc-jp',
      'document',
    ],
    ['html', '<meta content="text/html; charset=&quot;x" http-equiv=content-type>', null, 'utf-8', 'content'],
    ['html', '<meta http-equiv=refresh content="1; charset=koi8-r">', null, 'utf-8', 'content'],
    ['html', '<!-- <meta charset=koi8-r> --><title><meta charset=koi8-r></title>', null, 'utf-8', 'content'],
    ['html', `${'x'.repeat(1030)}<meta charset=koi8-r>`, null, 'utf-8', 'content'],
    ['html', '<meta charset=utf-16le>', null, 'utf-8', 'document'],
    ['html', '<meta charset=iso-8859-1>', null, 'windows-1252', 'document'],
    ['html', '<meta charset=none><meta charset=koi8-r>', null, 'utf-8', 'content'],
    ['html', '<?xml version="1.0" encoding="iso-8859-5"?><html>', null, 'iso-8859-5', 'document'],
    ['xml', '<?xml version="1.0" encoding=\'windows-1251\'?>', null, 'windows-1251', 'document'],
    ['xml', '<?xml version="1.0"?><meta charset="koi8-r"/>', null, 'utf-8', 'content'],
    ['css', '@charset "iso-8859-15";', null, 'iso-8859-15', 'document'],
    ['css', ' @charset "iso-8859-15";', null, 'utf-8', 'content'],
    ['markdown', 'é', null, 'windows-1252', 'content'],
    ['markdown', bytes('é 日本 🌊'), null, 'utf-8', 'content'],
    ['json', '"\u00e9"', null, 'utf-8', 'content'],
  ])('of %s %j, declared %s, is %s by its %s', (format, text, declared, label, by) => {
    expect(detectEncoding(text, format, declared)).toMatchObject({ label, by });
  });

  test('tells whether its markup is ASCII', () => {
    const isAsciiBased = (label: string) => detectEncoding('x', 'html', label).isAsciiBased;
    expect(['utf-8', 'windows-1252', 'shift_jis', 'gb18030', 'koi8-r'].map(isAsciiBased)).toEqual(
      Array(5).fill(true),
    );
    expect(['utf-16le', 'utf-16be', 'utf-16', 'iso-2022-jp'].map(isAsciiBased)).toEqual(Array(4).fill(false));
  });
});

/** The platform's own decoder as an independent one. */
describe('bytes are UTF-8', () => {
  const isValid = (data: Uint8Array) => {
    try {
      new TextDecoder('utf-8', { fatal: true }).decode(data);
      return true;
    } catch {
      return false;
    }
  };

  test('exactly when a strict decoder takes them', () => {
    const lead = fc.constantFrom(
      0x00,
      0x7f,
      0x80,
      0xbf,
      0xc0,
      0xc1,
      0xc2,
      0xdf,
      0xe0,
      0xed,
      0xef,
      0xf0,
      0xf4,
      0xf5,
      0xff,
    );
    const byte = fc.oneof(lead, fc.constantFrom(0x80, 0x8f, 0x90, 0x9f, 0xa0, 0xbf), fc.nat(255));
    fc.assert(
      fc.property(fc.array(byte, { maxLength: 6 }), (values) => {
        const data = Uint8Array.from(values);
        expect(isUtf8(Buffer.from(data).toString('latin1'))).toBe(isValid(data));
      }),
      { numRuns: 20_000 },
    );
  });

  test('for every text', () => {
    fc.assert(fc.property(fc.string({ unit: 'binary' }), (text) => isUtf8(bytes(text))));
  });
});
