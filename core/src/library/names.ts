import { truncate } from './truncate.js';

/**
 * The maximum length of an asset's name, in UTF-16 code units; leaves room for "~recipe" within the 255 bytes of most
 * file systems.
 */
export const MAX_NAME_LENGTH = 180;

/** The replacement for names without any allowed character. */
const FALLBACK_NAME = 'unnamed';

/**
 * C0 and C1 controls, lone surrogates, path separators, characters reserved by common file systems, and the tilde that
 * marks a rendition.
 */
// biome-ignore lint/suspicious/noControlCharactersInRegex: control characters are what is looked for
const UNSAFE = /[\u0000-\u001f\u007f-\u009f\p{Cs}/\\:*?"<>|~]+/gu;

/** Most names are clean, and need no closer look. */
const PLAIN_NAME = /^\w(?:[\w.-]{0,100}[\w-])?$/;

/** Embeddings, overrides and isolates of direction: `exe.\u202egpj` would be read as a picture. Source: UAX #9, section 2. */
const DIRECTION_MARKS = /[\u202a-\u202e\u2066-\u2069]/g;

/** The name without the characters that change the direction of text. */
export function withoutDirectionMarks(name: string): string {
  return name.replace(DIRECTION_MARKS, '');
}

/** The parts of a file name: `harbour.tar.gz` has the stem `harbour.tar` and the extension `gz`. */
export interface NameParts {
  stem: string;
  /** Lower case, without the dot; empty when there is none. */
  extension: string;
}

/** Splits a file name at its last dot; a leading dot belongs to the stem. */
export function splitName(name: string): NameParts {
  const dot = name.lastIndexOf('.');
  if (dot <= 0 || dot === name.length - 1) return { stem: name, extension: '' };
  return { stem: name.slice(0, dot), extension: name.slice(dot + 1).toLowerCase() };
}

/** What no name ends with: some file systems drop it. */
const END = /[. ]+$/;

/**
 * Converts a file name to one that is valid in URLs and file systems: no folders, no control characters, no marks
 * of direction, no `~` (which separates a recipe), Unicode NFC, at most {@link MAX_NAME_LENGTH} long with the extension kept.
 */
export function cleanName(name: string): string {
  if (PLAIN_NAME.test(name)) return name;
  const last =
    withoutDirectionMarks(name)
      .normalize('NFC')
      .replaceAll('\\', '/')
      .split('/')
      .findLast((part) => part.trim() !== '') ?? '';
  const safe = last
    .replace(UNSAFE, '-')
    .replace(/\s+/g, ' ')
    .replace(/^[. ]+/, '')
    .replace(END, '');
  return shorten(safe === '' ? FALLBACK_NAME : safe);
}

/** Longer names are never repeated as sent, but only in the form that {@link cleanName} returns. */
export const MAX_SENT_NAME_LENGTH = 255;

/** Yields `harbour.jpg`, `harbour-2.jpg`, `harbour-3.jpg`, … indefinitely. */
export function* nameCandidates(name: string): Generator<string> {
  yield name;
  for (let n = 2; ; n += 1) yield withEnding(name, `-${n}`);
}

function shorten(name: string): string {
  return name.length <= MAX_NAME_LENGTH ? name : withEnding(name, '').replace(END, '');
}

/** A longer extension is not kept when a name is shortened. */
const MAX_EXTENSION_LENGTH = 60;

/** Inserts an ending before the extension, and shortens the stem where the name would become too long. */
function withEnding(name: string, ending: string): string {
  const { stem, extension } = splitName(name);
  const isKept = extension !== '' && extension.length <= MAX_EXTENSION_LENGTH;
  const tail = isKept ? ending + name.slice(stem.length) : ending;
  return truncate(isKept ? stem : name, MAX_NAME_LENGTH - tail.length) + tail;
}
