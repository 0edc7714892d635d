import type { ByteSource } from './bytes.js';
import { cleanIsoMedia } from './clean-films.js';
import { cleanGif } from './clean-gif.js';
import { cleanIsoPicture, cleanJxl } from './clean-iso-pictures.js';
import { cleanJpeg } from './clean-jpeg.js';
import { cleanMatroska } from './clean-matroska.js';
import type { CleanOptions } from './clean-options.js';
import { cleanPng } from './clean-png.js';
import { cleanRiffMedia, cleanWebp } from './clean-riff.js';
import { cleanTiff, rulesForTiff } from './clean-tiff.js';
import type { Piece } from './edits.js';

/** Increased whenever the output for any file changes, so that cached results are computed again. */
export const CLEANER_VERSION = 2;

const CLEANERS: Record<string, (source: ByteSource, options: CleanOptions) => Piece[]> = {
  'image/jpeg': cleanJpeg,
  'image/png': cleanPng,
  'image/gif': cleanGif,
  'image/webp': cleanWebp,
  'image/tiff': (source, { keep }) => cleanTiff(source, rulesForTiff(keep === 'rights')),
  'image/avif': cleanIsoPicture,
  'image/heic': cleanIsoPicture,
  'image/jxl': cleanJxl,
  'video/mp4': cleanIsoMedia,
  'video/quicktime': cleanIsoMedia,
  'audio/mp4': cleanIsoMedia,
  'video/webm': cleanMatroska,
  'video/x-matroska': cleanMatroska,
  'video/avi': cleanRiffMedia,
  'audio/wav': cleanRiffMedia,
};

/** Tells whether files of a type can contain metadata that {@link cleanFile} removes. */
export function isCleanable(mime: string): boolean {
  return Object.hasOwn(CLEANERS, mime);
}

/**
 * Computes a file without embedded metadata. No pixel, frame or sample changes: coded data is copied.
 *
 * @returns the pieces of the cleaned file, in order
 * @throws Error when the file is corrupt in a way that prevents finding its metadata
 */
export function cleanFile(source: ByteSource, mime: string, options: CleanOptions): Piece[] {
  const clean = Object.hasOwn(CLEANERS, mime) ? CLEANERS[mime] : undefined;
  if (!clean) throw new Error(`a file of type ${mime} can't be cleaned`);
  return clean(source, options);
}
