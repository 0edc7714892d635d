import type { Kind } from '../library/kinds.js';

/** A file type: its media type, its extensions (the usual one first) and its kind. */
export interface MediaType {
  mime: string;
  extensions: readonly string[];
  kind: Kind;
}

const type = (mime: string, extensions: string, kind: Kind): MediaType => ({
  mime,
  extensions: extensions.split(' '),
  kind,
});

/** The known types; any other file is a document of type application/octet-stream. */
export const MEDIA_TYPES: readonly MediaType[] = [
  type('image/jpeg', 'jpg jpeg jpe jfif', 'image'),
  type('image/png', 'png', 'image'),
  type('image/gif', 'gif', 'image'),
  type('image/webp', 'webp', 'image'),
  type('image/avif', 'avif', 'image'),
  type('image/heic', 'heic heif', 'image'),
  type('image/tiff', 'tif tiff', 'image'),
  type('image/bmp', 'bmp', 'image'),
  type('image/x-icon', 'ico', 'image'),
  type('image/jxl', 'jxl', 'image'),
  // Common practice; its registered name is that of a product.
  type('image/x-psd', 'psd', 'image'),
  // Camera raw, whichever: the name is that of the shared MIME-info database (freedesktop.org).
  type('image/x-dcraw', 'dng nef nrw cr2 cr3 arw raf orf rw2 pef srw 3fr iiq', 'image'),
  type('image/svg+xml', 'svg', 'vector'),
  type('application/pdf', 'pdf', 'document'),
  type('application/rtf', 'rtf', 'document'),
  type('application/vnd.oasis.opendocument.text', 'odt', 'document'),
  type('application/vnd.oasis.opendocument.spreadsheet', 'ods', 'document'),
  type('application/vnd.oasis.opendocument.presentation', 'odp', 'document'),
  type('application/vnd.openxmlformats-officedocument.wordprocessingml.document', 'docx', 'document'),
  type('application/vnd.openxmlformats-officedocument.spreadsheetml.sheet', 'xlsx', 'document'),
  type('application/vnd.openxmlformats-officedocument.presentationml.presentation', 'pptx', 'document'),
  type('application/epub+zip', 'epub', 'document'),
  type('text/plain', 'txt text log', 'document'),
  type('text/markdown', 'md', 'document'),
  type('text/csv', 'csv', 'document'),
  type('text/html', 'html htm', 'document'),
  type('text/css', 'css', 'document'),
  type('text/javascript', 'js mjs', 'document'),
  type('text/vtt', 'vtt', 'document'),
  type('text/calendar', 'ics', 'document'),
  type('application/json', 'json geojson', 'document'),
  type('application/xml', 'xml', 'document'),
  type('audio/wav', 'wav', 'audio'),
  type('audio/mpeg', 'mp3', 'audio'),
  type('audio/ogg', 'ogg oga opus', 'audio'),
  type('audio/flac', 'flac', 'audio'),
  type('audio/mp4', 'm4a', 'audio'),
  type('audio/aiff', 'aif aiff', 'audio'),
  type('audio/midi', 'mid midi', 'audio'),
  type('video/mp4', 'mp4 m4v', 'video'),
  type('video/quicktime', 'mov', 'video'),
  type('video/webm', 'webm', 'video'),
  type('video/x-matroska', 'mkv', 'video'),
  type('video/ogg', 'ogv', 'video'),
  type('video/avi', 'avi', 'video'),
  type('application/zip', 'zip', 'archive'),
  type('application/gzip', 'gz tgz', 'archive'),
  type('application/x-tar', 'tar', 'archive'),
  type('application/x-7z-compressed', '7z', 'archive'),
  type('application/vnd.rar', 'rar', 'archive'),
  type('application/x-bzip2', 'bz2', 'archive'),
  type('application/x-xz', 'xz', 'archive'),
  type('application/vnd.microsoft.portable-executable', 'exe dll', 'document'),
  type('application/x-executable', 'elf so', 'document'),
  type('application/x-sh', 'sh', 'document'),
  type('application/wasm', 'wasm', 'document'),
  type('font/woff', 'woff', 'document'),
  type('font/woff2', 'woff2', 'document'),
  type('font/ttf', 'ttf', 'document'),
  type('font/otf', 'otf', 'document'),
];

/** The type of unrecognised bytes. */
export const UNKNOWN_MIME = 'application/octet-stream';

const BY_MIME = new Map(MEDIA_TYPES.map((entry) => [entry.mime, entry]));
const BY_EXTENSION = new Map(
  MEDIA_TYPES.flatMap((entry) => entry.extensions.map((extension) => [extension, entry] as const)),
);

/** Finds a type by its media type. */
export function typeByMime(mime: string): MediaType | undefined {
  return BY_MIME.get(mime);
}

/** Finds a type by lower-case extension without the dot. */
export function typeByExtension(extension: string): MediaType | undefined {
  return BY_EXTENSION.get(extension);
}

/** The kind of a media type, including unknown ones. */
export function kindOfMime(mime: string): Kind {
  const known = BY_MIME.get(mime);
  if (known) return known.kind;
  const top = mime.slice(0, mime.indexOf('/'));
  return top === 'image' || top === 'audio' || top === 'video' ? top : 'document';
}

/** The usual extension of a media type, or null. */
export function extensionOfMime(mime: string): string | null {
  return BY_MIME.get(mime)?.extensions[0] ?? null;
}
