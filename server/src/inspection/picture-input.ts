import { readFile, stat } from 'node:fs/promises';

const MAX_SVG_BYTES = 50_000_000;

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
  return readFile(path);
}
