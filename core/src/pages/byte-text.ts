/**
 * Texts whose characters are the bytes of a document: offsets in them are those of the file, whatever its encoding. Markup
 * is the same in all encodings that have the characters of ASCII at their places.
 */

const NOT_ASCII = /[\u0080-\uffff]/;
const RUNS = /[\u0080-\u00ff]+/g;
const NO_BYTE = /[\u0100-\uffff]/;
/** Encodings with bytes of ASCII within their characters. Source: WHATWG Encoding, 11 to 13. */
const MIXED = /^(?:shift[-_]jis|sjis|gbk?|gb18030|gb2312|big5|iso-2022-jp|euc-kr|ks_c_5601|windows-949)/i;
const WINDOWS_1252 = /^(?:windows-1252|cp1252|iso-?8859-1|latin1|l1|us-ascii|ascii)$/i;

/** The bytes 0x80 to 0x9f. Source: WHATWG Encoding, index windows-1252; decoders of some platforms take them for ISO 8859-1. */
const C1 =
  '\u20ac\u0081\u201a\u0192\u201e\u2026\u2020\u2021\u02c6\u2030\u0160\u2039\u0152\u008d\u017d\u008f' +
  '\u0090\u2018\u2019\u201c\u201d\u2022\u2013\u2014\u02dc\u2122\u0161\u203a\u0153\u009d\u017e\u0178';

/** Turns a text of bytes into characters. What a character reference stood for, and what is no text of the encoding, stays. */
export function decodeByteText(text: string, encoding: string): string {
  if (!NOT_ASCII.test(text)) return text;
  if (WINDOWS_1252.test(encoding))
    return text.replace(/[\u0080-\u009f]/g, (byte) => C1.charAt(byte.charCodeAt(0) - 0x80));
  return MIXED.test(encoding)
    ? decode(text, encoding)
    : text.replace(RUNS, (bytes) => decode(bytes, encoding));
}

function decode(text: string, encoding: string): string {
  if (NO_BYTE.test(text)) return text;
  const bytes = Uint8Array.from(text, (character) => character.charCodeAt(0));
  try {
    return new TextDecoder(encoding, { fatal: true, ignoreBOM: true }).decode(bytes);
  } catch {
    return text;
  }
}
