import { typeByExtension, typeByMime } from '../intake/media-types.js';
import { splitName } from '../library/names.js';

/** A type in a rule: an extension, a media type, or a wildcard. */
const TYPE_PATTERN = /^(?:[a-z0-9]{1,12}|[a-z]+\/(?:\*|[a-z0-9.+-]+))$/;

/** Tells whether `text` is valid in `allow` or `deny`. */
export function isTypePattern(text: string): boolean {
  return TYPE_PATTERN.test(text);
}

/** A type indicated by a file's name or by its bytes. */
interface ShownType {
  extensions: readonly string[];
  mime: string | null;
}

/**
 * Lists the types that a file indicates. When its actual type is known there are two, which may differ.
 *
 * @param mime the actual type by content, or the type stated by the sender, or null
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

/** Finds the first pattern that matches any type that the file indicates. */
export function findDenial<Entry extends { value: string }>(
  deny: readonly Entry[],
  shown: readonly ShownType[],
): Entry | null {
  return deny.find(({ value }) => shown.some((type) => matchesType(value, type))) ?? null;
}

/** Tells whether every type that the file indicates is allowed. A file without any is not. */
export function isAllowed(allow: readonly string[], shown: readonly ShownType[]): boolean {
  return shown.length > 0 && shown.every((type) => allow.some((pattern) => matchesType(pattern, type)));
}

function matchesType(pattern: string, type: ShownType): boolean {
  if (pattern.endsWith('/*')) return type.mime?.startsWith(pattern.slice(0, -1)) ?? false;
  if (pattern.includes('/')) return type.mime === pattern;
  return type.extensions.includes(pattern);
}
