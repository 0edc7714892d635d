import { tmpdir } from 'node:os';

/** Paths of temporary files, up to the next space or sign that ends them in messages. */
const TEMPORARY = new RegExp(`${tmpdir().replace(/[.*+?^$()[\]{}|\\]/g, '\\$&')}/[^\\s:'"),]*`, 'g');
const MAX_REASON = 300;

/**
 * The first line of a library's error message, as it can be shown to users: without paths of the host, and without a full
 * stop.
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
  return line.trim().replace(/[.:]$/, '').slice(0, MAX_REASON);
}
