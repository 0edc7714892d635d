import { findInCss } from './find-css.js';
import { findInHtml } from './find-html.js';
import { findInJson } from './find-json.js';
import { findInMarkdown } from './find-markdown.js';
import { findInXml } from './find-xml.js';
import { type DocumentFormat, Found, type FoundReferences, type Reader } from './reference.js';
import { View } from './view.js';

/** A document as text, or as its bytes with each byte as the character of that number: offsets are then those of bytes. */
export interface ReadableDocument {
  text: string;
  format: DocumentFormat;
  /** A label of the WHATWG Encoding standard for a text of bytes; null for characters. */
  encoding: string | null;
}

/**
 * Finds every address in a document. The references come in the order of their offsets and never overlap.
 *
 * Documents of bytes must be in an encoding in which the characters of markup are those of ASCII.
 */
export function findReferences({ text, format, encoding }: ReadableDocument): FoundReferences {
  const found = new Found(encoding, READERS);
  // A byte order mark is no part of the first line.
  const mark = encoding === null ? text.startsWith('\ufeff') : text.startsWith('\u00ef\u00bb\u00bf');
  const view = View.of(text).slice(mark ? (encoding === null ? 1 : 3) : 0, text.length);
  READERS[format](view, found);
  return found.finish();
}

const READERS: Record<DocumentFormat, Reader> = {
  html: findInHtml,
  markdown: findInMarkdown,
  css: findInCss,
  json: findInJson,
  xml: findInXml,
};

const FORMATS: Record<string, DocumentFormat> = {
  ...{ html: 'html', htm: 'html', xhtml: 'html', php: 'html', njk: 'html', liquid: 'html' },
  ...{ md: 'markdown', markdown: 'markdown', mdx: 'markdown', css: 'css', json: 'json', webmanifest: 'json' },
  ...{ geojson: 'json', jsonld: 'json', xml: 'xml', rss: 'xml', atom: 'xml', svg: 'xml' },
};

/** The format of a file by its name; null when references are not looked for in it. */
export function formatOfFile(name: string): DocumentFormat | null {
  return FORMATS[name.slice(name.lastIndexOf('.') + 1).toLowerCase()] ?? null;
}
