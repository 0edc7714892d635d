import { cleanName, splitName } from './names.js';

/** The path of the top folder; every other path starts with it and has no trailing slash. */
export const ROOT_PATH = '/';

/** The longest folder path, in UTF-16 code units, so that the database can index it whole. */
export const MAX_PATH_LENGTH = 600;

export type PathResult = { ok: true; path: string } | { ok: false; reason: string };

/**
 * Reads a folder path as a person or script writes it (`lights/gannet`, `/lights/gannet/`) into its one stored form
 * (`/lights/gannet`). Refuses `..`, and names that {@link cleanName} would change.
 */
export function parseFolderPath(text: string): PathResult {
  const parts = text
    .normalize('NFC')
    .split('/')
    .filter((part) => part !== '');
  for (const part of parts) {
    if (part === '.' || part === '..') return { ok: false, reason: `a path can't contain "${part}"` };
    if (cleanName(part) !== part) {
      return { ok: false, reason: `"${part}" can't be a folder's name; "${cleanName(part)}" could` };
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

/** The last part of a stored folder path; empty for the top. */
export function folderName(path: string): string {
  return path.slice(path.lastIndexOf('/') + 1);
}

/** The path above; null for the top. */
export function parentPath(path: string): string | null {
  if (path === ROOT_PATH) return null;
  return path.slice(0, path.lastIndexOf('/')) || ROOT_PATH;
}

/** The path and all paths above it, from the top down: `/`, `/lights`, `/lights/gannet`. */
export function pathChain(path: string): string[] {
  const parent = parentPath(path);
  return parent === null ? [path] : [...pathChain(parent), path];
}

/** Tells whether `path` is `folder` or lies below it. */
export function isWithin(path: string, folder: string): boolean {
  return path === folder || folder === ROOT_PATH || path.startsWith(`${folder}/`);
}

/** The address path of an original, percent-encoded: `/media/lights/gannet/dusk.jpg`. */
export function originalAddress(folder: string, name: string): string {
  return `/media${encodePath(joinPath(folder, name))}`;
}

/**
 * The address path of a rendition, percent-encoded: `/media/lights/gannet/dusk~wide.jpg`, or of one of its further sizes
 * and formats: `/media/lights/gannet/dusk~wide.500w.webp`.
 *
 * @param end the extension, or the name of the variant, which ends in one
 */
export function renditionAddress(folder: string, stem: string, recipe: string, end: string): string {
  return `/media${encodePath(joinPath(folder, `${stem}~${recipe}.${end}`))}`;
}

/** What an address below `/media` asks for, before anything is looked up. */
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

/** What stands between a recipe's name and the extension when it is not the main file. */
const RUNG = /\.(\d{1,5}w)$/;

/** Reads a decoded path below `/media` (with its leading slash). A name with a tilde is always a rendition's. */
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

function encodePath(path: string): string {
  return path.split('/').map(encodeURIComponent).join('/');
}
