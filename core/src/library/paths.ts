import { cleanName, splitName, withoutDirectionMarks } from './names.js';

/** The path of the root folder; every other path starts with it and has no trailing slash. */
export const ROOT_PATH = '/';

/** The maximum length of a folder path, in UTF-16 code units, so that the database can index all of it. */
export const MAX_PATH_LENGTH = 600;

export type PathResult = { ok: true; path: string } | { ok: false; reason: string };

/**
 * Normalises a folder path as typed (`lights/gannet`, `/lights/gannet/`) to its stored form (`/lights/gannet`).
 * Rejects `..`, and names that {@link cleanName} would change.
 */
export function parseFolderPath(text: string): PathResult {
  const parts = text
    .normalize('NFC')
    .split('/')
    .filter((part) => part !== '');
  for (const part of parts) {
    if (part === '.' || part === '..') return { ok: false, reason: `a path can't contain "${part}"` };
    if (cleanName(part) !== part) {
      const shown = withoutDirectionMarks(part);
      const problem = shown === part ? '' : ' with characters that change the direction of text';
      return {
        ok: false,
        reason: `"${shown}"${problem} can't be a folder's name; "${cleanName(part)}" could`,
      };
    }
  }
  const path = ROOT_PATH + parts.join('/');
  if (path.length > MAX_PATH_LENGTH)
    return { ok: false, reason: `a path has at most ${MAX_PATH_LENGTH} characters` };
  return { ok: true, path };
}

/** Joins a stored folder path and a name. */
export function joinPath(folder: string, name: string): string {
  return folder === ROOT_PATH ? `/${name}` : `${folder}/${name}`;
}

/** The last part of a stored folder path; empty for the root. */
export function folderName(path: string): string {
  return path.slice(path.lastIndexOf('/') + 1);
}

/** The parent's path; null for the root. */
export function parentPath(path: string): string | null {
  if (path === ROOT_PATH) return null;
  return path.slice(0, path.lastIndexOf('/')) || ROOT_PATH;
}

/** The path and all its ancestors, from the root down: `/`, `/lights`, `/lights/gannet`. */
export function pathChain(path: string): string[] {
  const parent = parentPath(path);
  return parent === null ? [path] : [...pathChain(parent), path];
}

/** Tells whether `path` is `folder` or below it. */
export function isWithin(path: string, folder: string): boolean {
  return path === folder || folder === ROOT_PATH || path.startsWith(`${folder}/`);
}

/** The URL path of an original, percent-encoded: `/media/lights/gannet/dusk.jpg`. */
export function originalAddress(folder: string, name: string): string {
  return `/media${encodePath(joinPath(folder, name))}`;
}

/**
 * The URL path of a rendition, percent-encoded: `/media/lights/gannet/dusk~wide.jpg`, or of one of its additional
 * sizes and formats: `/media/lights/gannet/dusk~wide.500w.webp`.
 *
 * @param end the extension, or the name of the variant, which ends with one
 */
export function renditionAddress(folder: string, stem: string, recipe: string, end: string): string {
  return `/media${encodePath(joinPath(folder, `${stem}~${recipe}.${end}`))}`;
}

/** How many digits of the digest an address names. */
const VERSION_DIGITS = 12;

/** An address that names the bytes: they may be cached for ever. */
export function versionedAddress(address: string, sha256: string): string {
  return `${address}?v=${sha256.slice(0, VERSION_DIGITS)}`;
}

/** The parts of a path below `/media`, before any lookup. */
export type MediaAddress =
  | { kind: 'original'; folder: string; name: string }
  | {
      kind: 'rendition';
      folder: string;
      stem: string;
      recipe: string;
      extension: string;
      /** `500w.webp`; null for the recipe's main file. */
      variant: string | null;
    };

/** The part between a recipe's name and the extension, for files other than the main one. */
const RUNG = /\.(\d{1,5}w)$/;

/** Parses a decoded path below `/media` (with its leading slash). A name with a tilde always refers to a rendition. */
export function parseMediaAddress(path: string): MediaAddress | null {
  const parsed = parseFolderPath(parentPath(path) ?? ROOT_PATH);
  const name = folderName(path).normalize('NFC');
  if (!parsed.ok || name === '') return null;
  const tilde = name.lastIndexOf('~');
  if (tilde < 0) return { kind: 'original', folder: parsed.path, name };
  const { stem: mark, extension } = splitName(name.slice(tilde + 1));
  const rung = RUNG.exec(mark);
  return {
    kind: 'rendition',
    folder: parsed.path,
    stem: name.slice(0, tilde),
    recipe: rung ? mark.slice(0, rung.index) : mark,
    extension,
    variant: rung ? `${rung[1]}.${extension}` : null,
  };
}

/** The path of an address: each segment is percent-encoded. Source: RFC 3986, 2.1. */
export function encodePath(path: string): string {
  return path.split('/').map(encodeURIComponent).join('/');
}
