/** The longest name that the file systems of Linux keep (POSIX NAME_MAX), less the longest ending below. */
const NAME_BYTES = 255 - 2;
/** Files that are being written begin so; no other name does. */
export const PARTIAL = '%partial-';

/** Endings of names. A percent sign of a key is encoded, so that they can't be mistaken. */
const CONTINUES = '%c';
/** A folder whose name looks like that of a file. */
const FOLDER = '%d';
/** A file whose name looks like that of a folder. */
const FILE = '%f';
const EMPTY = '%e';

/**
 * The path of a key in a folder. Names of files have a dot and names of folders don't, or end in a mark, so that a key
 * may also be the beginning of another; a segment too long for a name continues in a subfolder.
 */
export function pathOfKey(key: string): string {
  const segments = key.split('/');
  return segments.flatMap((segment, at) => toNames(segment, at === segments.length - 1)).join('/');
}

/** The key of such a path. */
export function keyOfPath(path: string): string {
  return path.split('/').reduce((key, name, at, names) => {
    const previous = names[at - 1];
    const joint = previous === undefined || previous.endsWith(CONTINUES) ? '' : '/';
    return key + joint + decodeURIComponent(name.replace(/%[cdfe]$/, ''));
  }, '');
}

function toNames(segment: string, isFile: boolean): string[] {
  const names: string[] = [];
  let name = '';
  for (const unit of encodeUnits(segment)) {
    if (Buffer.byteLength(name + unit) > NAME_BYTES) {
      names.push(name + CONTINUES);
      name = '';
    }
    name += unit;
  }
  const looksLikeFile = name.includes('.');
  if (isFile) names.push(looksLikeFile ? name : name + FILE);
  else if (looksLikeFile) names.push(name + FOLDER);
  else names.push(name === '' ? EMPTY : name);
  return names;
}

/** Characters, encoded where they mean something to a file system or to us. */
function encodeUnits(segment: string): string[] {
  const units = [...segment].map((character) =>
    // biome-ignore lint/suspicious/noControlCharactersInRegex: these are what must not be in a name
    /[\u0000-\u001f%\\]/.test(character) ? encodeByte(character) : character,
  );
  return /^\.+$/.test(segment) ? ['%2E', ...units.slice(1)] : units;
}

function encodeByte(character: string): string {
  return `%${character.charCodeAt(0).toString(16).toUpperCase().padStart(2, '0')}`;
}
