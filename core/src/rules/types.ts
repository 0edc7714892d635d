import { typeByExtension, typeByMime } from '../intake/media-types.js';
import { splitName } from '../library/names.js';

/** How a rule writes a type: an extension, a media type, or a wildcard of one. */
const TYPE_PATTERN = /^(?:[a-z0-9]{1,12}|[a-z]+\/(?:\*|[a-z0-9.+-]+))$/;

/** Tells whether `text` can stand in `allow` or `deny`. */
export function isTypePattern(text: string): boolean {
  return TYPE_PATTERN.test(text);
}

/** One way in which a file shows a type: by its name, or by its bytes. */
interface ShownType {
  extensions: readonly string[];
  mime: string | null;
}

/**
 * Lists the types that a file shows. With its true type known there are two, and they may disagree.
 *
 * @param mime the true type by content, or the type that the sender states, or null
 */
export function shownTypes(name: string, mime: string | null): ShownType[] {
  const shown: ShownType[] = [];
  const { extension } = splitName(name);
  if (extension !== '') {
    const known = typeByExtension(extension);
    shown.push({ extensions: known?.extensions ?? [extension], mime: known?.mime ?? null });
  }
  if (mime !== null) shown.push({ extensions: typeByMime(mime)?.extensions ?? [], mime });
  return shown;
}

/** Finds the first pattern that matches any type that the file shows. */
export function findDenial<Entry extends { value: string }>(
  deny: readonly Entry[],
  shown: readonly ShownType[],
): Entry | null {
  return deny.find(({ value }) => shown.some((type) => matchesType(value, type))) ?? null;
}

/** Tells whether every type that the file shows is among the allowed ones. A file that shows none is not. */
export function isAllowed(allow: readonly string[], shown: readonly ShownType[]): boolean {
  return shown.length > 0 && shown.every((type) => allow.some((pattern) => matchesType(pattern, type)));
}

function matchesType(pattern: string, type: ShownType): boolean {
  if (pattern.endsWith('/*')) return type.mime?.startsWith(pattern.slice(0, -1)) ?? false;
  if (pattern.includes('/')) return type.mime === pattern;
  return type.extensions.includes(pattern);
}
