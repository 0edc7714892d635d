import { Tokenizer, type TokenizerCallbacks } from 'htmlparser2';
import type { DocumentFormat } from './reference.js';

/** How the bytes of a document are read. */
export interface DocumentEncoding {
  /** A label of the WHATWG Encoding standard. */
  label: string;
  /** Whether each character of markup is one byte, as in ASCII; otherwise the document is of pairs of bytes. */
  isAsciiBased: boolean;
  /** What said so. */
  by: 'mark' | 'declared' | 'document' | 'content';
}

/** A byte order mark. Source: WHATWG Encoding, 6, "BOM sniff". */
const MARKS: [string, string][] = [
  ['\u00ef\u00bb\u00bf', 'utf-8'],
  ['\u00fe\u00ff', 'utf-16be'],
  ['\u00ff\u00fe', 'utf-16le'],
];
const PAIRS = /^utf-16(?:le|be)?$|^ucs-2$/;

/**
 * Finds the encoding of a document, given as its bytes, each as the character of that number.
 *
 * The order is that of WHATWG HTML, "determining the character encoding": a byte order mark, what the sender declared,
 * what the document says in its beginning; then UTF-8 where the bytes are that, and windows-1252 otherwise. CSS and XML
 * have their own ways to say it. JSON is UTF-8 (RFC 8259, 8.1).
 *
 * @param declared a label from outside, such as that of `Content-Type`; null without one
 */
export function detectEncoding(
  bytes: string,
  format: DocumentFormat,
  declared: string | null = null,
): DocumentEncoding {
  for (const [mark, label] of MARKS) if (bytes.startsWith(mark)) return encoding(label, 'mark');
  const given = knownLabel(declared);
  if (given !== null) return encoding(given, 'declared');
  const stated = knownLabel(statedIn(bytes, format));
  // A document that says so in ASCII is not of pairs of bytes. Source: WHATWG HTML, "prescan a byte stream".
  if (stated !== null) return encoding(PAIRS.test(stated) ? 'utf-8' : stated, 'document');
  return encoding(format === 'json' || isUtf8(bytes) ? 'utf-8' : 'windows-1252', 'content');
}

function encoding(label: string, by: DocumentEncoding['by']): DocumentEncoding {
  return { label, isAsciiBased: !PAIRS.test(label) && label !== 'iso-2022-jp', by };
}

/** The standard's name of an encoding; null for one that it does not have. */
function knownLabel(label: string | null): string | null {
  if (label === null) return null;
  try {
    return new TextDecoder(label.trim()).encoding;
  } catch {
    return null;
  }
}

/** Source: WHATWG HTML, "prescan a byte stream to determine its encoding". */
const PRESCANNED_BYTES = 1024;

function statedIn(bytes: string, format: DocumentFormat): string | null {
  const head = bytes.slice(0, PRESCANNED_BYTES);
  switch (format) {
    case 'html':
      return /^<\?xml\s[^>]*?encoding=["']([\w.:-]+)/.exec(head)?.[1] ?? metaCharset(head);
    case 'xml':
      return /^<\?xml\s[^>]*?encoding\s*=\s*["']([\w.:-]+)/.exec(head)?.[1] ?? null;
    case 'css':
      // Source: CSS Syntax 3, 3.2: exactly these characters, at the beginning.
      return /^@charset "([^"]*)";/.exec(head)?.[1] ?? null;
    default:
      return null;
  }
}

function metaCharset(head: string): string | null {
  const reader = new CharsetReader(head, () => tokenizer.pause());
  const tokenizer = new Tokenizer({ decodeEntities: false }, reader);
  tokenizer.write(head);
  tokenizer.end();
  return reader.charset;
}

/** Reads `<meta charset>` and `<meta http-equiv=content-type content="…; charset=…">`. */
class CharsetReader implements TokenizerCallbacks {
  charset: string | null = null;
  readonly #text: string;
  readonly #stop: () => void;
  #element = '';
  #name = '';
  #attributes = new Map<string, string>();

  constructor(text: string, stop: () => void) {
    this.#text = text;
    this.#stop = stop;
  }

  onopentagname(from: number, to: number): void {
    this.#element = this.#text.slice(from, to).toLowerCase();
    this.#attributes = new Map();
  }

  onattribname(from: number, to: number): void {
    this.#name = this.#text.slice(from, to).toLowerCase();
  }

  onattribdata(from: number, to: number): void {
    if (!this.#attributes.has(this.#name)) this.#attributes.set(this.#name, this.#text.slice(from, to));
  }

  onopentagend(): void {
    if (this.#element !== 'meta' || this.charset !== null) return;
    const isType = this.#attributes.get('http-equiv')?.toLowerCase() === 'content-type';
    const content = isType ? (this.#attributes.get('content') ?? '') : '';
    // Source: WHATWG HTML, "extracting a character encoding from a meta element".
    const inContent = /charset\s*=\s*(?:"([^"]*)"|'([^']*)'|([^\s;"']+))/i.exec(content);
    this.charset =
      this.#attributes.get('charset') ?? inContent?.[1] ?? inContent?.[2] ?? inContent?.[3] ?? null;
    if (this.charset !== null) this.#stop();
  }

  onselfclosingtag(): void {
    this.onopentagend();
  }

  onattribend(): void {}
  onattribentity(): void {}
  oncdata(): void {}
  onclosetag(): void {}
  oncomment(): void {}
  ondeclaration(): void {}
  onend(): void {}
  onprocessinginstruction(): void {}
  ontext(): void {}
  ontextentity(): void {}
}

const NOT_ASCII = /[\u0080-\u00ff]/;

/** Tells whether bytes are UTF-8. Source: Unicode 16, table 3-7, "Well-Formed UTF-8 Byte Sequences". */
export function isUtf8(bytes: string): boolean {
  if (!NOT_ASCII.test(bytes)) return true;
  for (let at = 0; at < bytes.length; ) {
    const length = sequenceLength(bytes, at);
    if (length === 0) return false;
    at += length;
  }
  return true;
}

/** The length of the sequence at a place; 0 for none that is well-formed. */
function sequenceLength(bytes: string, at: number): number {
  const lead = bytes.charCodeAt(at);
  if (lead < 0x80) return 1;
  const second = bytes.charCodeAt(at + 1);
  const isSecond = second >= leastSecond(lead) && second <= mostSecond(lead);
  const continues = (offset: number) => (bytes.charCodeAt(at + offset) & 0xc0) === 0x80;
  if (lead >= 0xc2 && lead <= 0xdf) return isSecond ? 2 : 0;
  if (lead >= 0xe0 && lead <= 0xef) return isSecond && continues(2) ? 3 : 0;
  if (lead >= 0xf0 && lead <= 0xf4) return isSecond && continues(2) && continues(3) ? 4 : 0;
  return 0;
}

function leastSecond(lead: number): number {
  return lead === 0xe0 ? 0xa0 : lead === 0xf0 ? 0x90 : 0x80;
}

function mostSecond(lead: number): number {
  return lead === 0xed ? 0x9f : lead === 0xf4 ? 0x8f : 0xbf;
}
