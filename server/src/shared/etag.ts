import { UniferumError } from './errors.js';

/** The entity tag of something with a revision counter. */
export function revisionTag(id: number | string, revision: number): string {
  return `"${id}.${revision}"`;
}

/**
 * Rejects a change whose `If-Match` names another state than the current one (RFC 9110 §13.1.1).
 *
 * @throws UniferumError `stale-state`
 */
export function requireMatch(ifMatch: string | undefined, current: string, what: string): void {
  if (ifMatch === undefined || ifMatch.trim() === '*') return;
  if (listTags(ifMatch).includes(current)) return;
  throw new UniferumError(
    'stale-state',
    `${what} was changed since you read it. Read it again and repeat your change.`,
  );
}

/** Tells whether `If-None-Match` matches the current state; weak comparison (RFC 9110 §13.1.2). */
export function hasCurrent(ifNoneMatch: string | undefined, current: string): boolean {
  if (ifNoneMatch === undefined) return false;
  return (
    ifNoneMatch.trim() === '*' || listTags(ifNoneMatch).some((tag) => tag.replace(/^W\//, '') === current)
  );
}

function listTags(header: string): string[] {
  return header.match(/(?:W\/)?"[^"]*"/g) ?? [];
}
