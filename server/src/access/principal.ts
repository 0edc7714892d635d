import type { Request } from 'express';
import type { Database } from '../shared/database.js';
import { UniferumError } from '../shared/errors.js';
import type { Principal } from '../shared/principal.js';
import { requirePageOf } from './origins.js';
import { findKeyBySecretHash, findSession, touchKey } from './queries.js';
import { hashSecret, isToken } from './secrets.js';
import { findToken } from './token-queries.js';

export const SESSION_COOKIE = 'uniferum_session';

/**
 * Identifies the caller by key, token or session; null when neither is valid.
 *
 * @throws UniferumError `foreign-origin` when it is used on a page that it is not for
 */
export async function authenticate(db: Database, req: Request, publicUrl: string): Promise<Principal | null> {
  const bearer = /^Bearer\s+(\S+)$/i.exec(req.get('authorization') ?? '')?.[1];
  if (bearer !== undefined) {
    if (isToken(bearer)) {
      const token = await findToken(db, hashSecret(bearer));
      if (token) requirePageOf(req, publicUrl, token.scope.origin === null ? null : [token.scope.origin]);
      return token && { kind: 'token', ref: `token:${token.id}`, ...token };
    }
    const key = await findKeyBySecretHash(db, hashSecret(bearer));
    if (key === null) return null;
    requirePageOf(req, publicUrl, key.origins);
    if (isStale(key.lastUsedAt)) await touchKey(db, key.id);
    return { kind: 'key', id: key.id, ref: `key:${key.id}`, name: key.name, rights: key.rights };
  }
  const token = readCookie(req, SESSION_COOKIE);
  if (token === null) return null;
  const user = await findSession(db, hashSecret(token));
  return user && { kind: 'user', id: user.id, ref: `user:${user.id}`, name: user.name, rights: user.rights };
}

/** The last use of a key is recorded once a minute, not on every request. */
function isStale(lastUsedAt: string | null): boolean {
  return lastUsedAt === null || Date.now() - Date.parse(lastUsedAt) > 60_000;
}

/**
 * Rejects a change that a browser sends with the session cookie from another site. The cookie is already
 * SameSite=Strict; this also covers browsers that ignore the attribute, and sibling subdomains, which count as the
 * same site.
 *
 * @throws UniferumError `foreign-origin`
 */
export function requireOwnOrigin(req: Request, publicUrl: string): void {
  const origin = req.get('origin');
  const own = [new URL(publicUrl).origin, `${req.protocol}://${req.get('host')}`];
  const isOwn = origin === undefined ? req.get('sec-fetch-site') === 'same-origin' : own.includes(origin);
  if (!isOwn)
    throw new UniferumError(
      'foreign-origin',
      'Sessions are valid only on their own site. Use an API key in scripts.',
    );
}

/** Reads one cookie (RFC 6265 §4.2); null when it is absent. */
export function readCookie(req: Request, name: string): string | null {
  for (const pair of (req.get('cookie') ?? '').split(';')) {
    const [key, ...value] = pair.trim().split('=');
    if (key === name) return value.join('=');
  }
  return null;
}
