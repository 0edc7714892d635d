import { normalizeAddress, resolveAddress } from './address.js';
import { decodeByteText } from './byte-text.js';
import type { Escaper, View } from './view.js';

/** Finds the references in a text of a format. */
export type Reader = (view: View, found: Found) => void;

/** One place in a document that holds an address. */
export interface Reference {
  /** Offsets in the document, from the first character of the address to behind its last. */
  from: number;
  to: number;
  /** The address without character references and escapes. */
  address: string;
  /** Where it stands: `img src`, `style url()`, `markdown image`, `json thumbnail`. */
  attribute: string;
  /** The descriptor of a `srcset`: `640w`. */
  descriptor: string | null;
  /** A link is followed by a reader; an embed is a part of the page. */
  isLink: boolean;
  /** Writes another ASCII address for this place. */
  escaper: Escaper;
}

/** The formats in which references are found. */
export const DOCUMENT_FORMATS = ['html', 'markdown', 'css', 'json', 'xml'] as const;
export type DocumentFormat = (typeof DOCUMENT_FORMATS)[number];

/** What a document says of itself and refers to. */
export interface FoundReferences {
  /** In the order of their offsets. */
  references: Reference[];
  /** `<base href>` as written; null without one. */
  base: string | null;
  title: string | null;
}

/** Collects references while a document is read. */
export class Found {
  readonly references: Reference[] = [];
  base: string | null = null;
  title: string | null = null;
  /** The encoding of a document that is given as its bytes, each as the character of that number. */
  readonly #encoding: string | null;
  readonly #readers: Record<'html' | 'css' | 'json', Reader>;
  #depth = 0;

  constructor(encoding: string | null, readers: Record<'html' | 'css' | 'json', Reader>) {
    this.#encoding = encoding;
    this.#readers = readers;
  }

  /** Reads a text of another format that lies within the one that is being read: HTML in a string of JSON in a script. */
  readWithin(format: 'html' | 'css' | 'json', view: View): void {
    if (this.#depth >= MAX_DEPTH) return;
    this.#depth += 1;
    this.#readers[format](view, this);
    this.#depth -= 1;
  }

  /** Adds the address in a part of a text, unless there is none that can be fetched. */
  add(
    view: View,
    part: { from: number; to: number },
    place: { attribute: string; isLink?: boolean; descriptor?: string | null; text?: string },
  ): void {
    let { from, to } = part;
    while (from < to && isSpace(view.text.charCodeAt(from))) from += 1;
    while (to > from && isSpace(view.text.charCodeAt(to - 1))) to -= 1;
    const address = this.decode(place.text?.trim() ?? view.text.slice(from, to));
    if (!isFetched(address)) return;
    this.references.push({
      from: view.at(from),
      to: view.at(to),
      address,
      attribute: place.attribute,
      descriptor: place.descriptor || null,
      isLink: place.isLink ?? false,
      escaper: view.escaper,
    });
  }

  /** Turns what is still bytes into characters. */
  decode(text: string): string {
    return this.#encoding === null ? text : decodeByteText(text, this.#encoding);
  }

  /** Keeps the first title that a document has. */
  setTitle(text: string): void {
    const title = this.decode(text).replace(/\s+/g, ' ').trim().slice(0, MAX_TITLE);
    if (this.title === null && title !== '') this.title = title;
  }

  finish(): FoundReferences {
    const references = this.references.sort((a, b) => a.from - b.from);
    return { references, base: this.base, title: this.title };
  }
}

/** How deep formats may lie in each other. */
const MAX_DEPTH = 6;
const MAX_TITLE = 300;
/** A text that is HTML. */
export const MARKUP = /<[a-z!][^>]*>/i;

const isSpace = (code: number) =>
  code === 0x20 || code === 0x0a || code === 0x09 || code === 0x0d || code === 0x0c;

const SCHEME = /^([a-z][a-z0-9+.-]*):/i;
/** Marks of templates, whose addresses are made when the page is. */
const TEMPLATE = /\{\{|\{%|<%|\$\{/;

/** Tells whether an address leads to something that can be fetched: not a fragment, a mail address, data or a template. */
export function isFetched(address: string): boolean {
  if (address === '' || address.startsWith('#') || TEMPLATE.test(address)) return false;
  const scheme = SCHEME.exec(address)?.[1]?.toLowerCase();
  return scheme === undefined || scheme === 'http' || scheme === 'https';
}

const MEDIA_EXTENSION =
  /\.(?:jpe?g|png|gif|webp|avif|svgz?|hei[cf]|tiff?|bmp|ico|jxl|mp4|m4v|webm|mov|og[gva]|mp3|m4a|wav|flac|opus|vtt|pdf|zip|docx?|xlsx?|pptx?|od[tsp]|epub|csv|css|js|woff2?)(?:[?#]|$)/i;
const HAS_SPACE = /\s/;

/** Tells whether a text of JSON or XML is an address as a whole. */
export function isAddressLike(text: string): boolean {
  if (text === '' || text.length > 4096) return false;
  if (/^(?:https?:)?\/\/[^\s]/i.test(text)) return !HAS_SPACE.test(text);
  if (HAS_SPACE.test(text) || SCHEME.test(text)) return false;
  return /^\.{0,2}\/[^/]/.test(text) || MEDIA_EXTENSION.test(text);
}

/** The absolute, normalised address of a reference in a document at an address; null where it cannot be known. */
export function targetOf(address: string, documentUrl: string | null): string | null {
  // Browsers drop line breaks and tabs within an address. Source: WHATWG URL, "basic URL parser", step 3.
  const clean = address.replace(/[\t\n\r]/g, '');
  const target = documentUrl === null ? clean : resolveAddress(clean, documentUrl);
  return SCHEME.test(target) ? normalizeAddress(target) : null;
}

/** The address against which the references of a document are resolved. */
export function baseOf(base: string | null, documentUrl: string | null): string | null {
  if (base === null) return documentUrl;
  const absolute = documentUrl === null ? base : resolveAddress(base.replace(/[\t\n\r]/g, ''), documentUrl);
  const scheme = SCHEME.exec(absolute)?.[1]?.toLowerCase();
  // Source: WHATWG HTML, "set the frozen base URL".
  return scheme === undefined || scheme === 'data' || scheme === 'javascript' ? documentUrl : absolute;
}
