import { readFile, stat } from 'node:fs/promises';
import { decodeMarkup, wideEncoding } from '@uniferum/core/intake';

const MAX_SVG_BYTES = 50_000_000;

/** What an XML declaration says about the encoding. Source: XML 1.0, production 80. */
const STATED_ENCODING = /^(<\?xml[^>]*?)\s+encoding\s*=\s*(["'])[\w.-]*\2/;

/**
 * A picture as the image engine opens it. A drawing is handed over as bytes: by a path, it could refer to files that lie
 * beside it.
 *
 * @throws Error when a drawing is larger than any that is drawn in time
 */
export async function pictureInput(path: string, mime: string): Promise<string | Buffer> {
  if (mime !== 'image/svg+xml') return path;
  if ((await stat(path)).size > MAX_SVG_BYTES)
    throw new Error(`it has more than ${MAX_SVG_BYTES / 1_000_000} MB, too much for a drawing`);
  const bytes = await readFile(path);
  // Browsers show drawings in UTF-16; the image engine recognises them in UTF-8 only.
  return wideEncoding(bytes) === null
    ? bytes
    : Buffer.from(decodeMarkup(bytes).replace(STATED_ENCODING, '$1'));
}
