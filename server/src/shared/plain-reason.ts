import { tmpdir } from 'node:os';

/** Paths of temporary files, up to the next space or sign that ends them in messages. */
const TEMPORARY = new RegExp(`${tmpdir().replace(/[.*+?^$()[\]{}|\\]/g, '\\$&')}/[^\\s:'"),]*`, 'g');
const MAX_REASON = 300;

/** What the image libraries say about themselves and how they were called, in the order of its removal. */
const WORDS_OF_LIBRARIES: readonly (readonly [RegExp, string])[] = [
  [/^Input (?:file|buffer) contains unsupported image format/, "it isn't a picture of a known type"],
  [/^Input (?:file|buffer) has corrupt header$/, 'its header is broken'],
  [/^Input (?:file|buffer) has corrupt header: */, ''],
  [/^Input image exceeds pixel limit/, 'it has more pixels than are decoded'],
  [/^(?:(?:Vips\w*|\w+2vips|vips2\w+|\w+load(?:_\w+)?|glib|heif|libspng): *)+/, ''],
  [
    /^XML parse error: Error domain \d+ code \d+ on line (\d+) column (\d+) of data: */,
    'line $1, column $2: ',
  ],
];

/**
 * The first line of a library's error message, as it can be shown to users: without paths of the host, names of
 * libraries and a full stop.
 *
 * @param paths of files that were worked on
 */
export function plainReason(error: unknown, paths: readonly string[] = []): string {
  let message = error instanceof Error ? error.message : String(error);
  for (const path of paths) if (path.length > 1) message = message.replaceAll(path, '');
  message = message
    .replace(TEMPORARY, '')
    // What was said about a path.
    .replace(/(?:^|(?<=\s)): |, (?:open|stat|lstat|scandir|access) ''/g, '');
  const line = message.split('\n').find((one) => one.trim() !== '') ?? message;
  let plain = line.trim().replace(/[.:]$/, '');
  for (const [words, said] of WORDS_OF_LIBRARIES) plain = plain.replace(words, said);
  return plain.slice(0, MAX_REASON);
}
