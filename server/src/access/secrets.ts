import { createHash, randomBytes } from 'node:crypto';

/** Makes the secret of an API key; `uf_` lets scanners of repositories find a leaked one. */
export function newKeySecret(): string {
  return `uf_${randomBytes(30).toString('base64url')}`;
}

/** Makes the token of a session. */
export function newSessionToken(): string {
  return randomBytes(32).toString('base64url');
}

/** The digest under which a secret of 240 random bits or more is stored: so many can't be guessed, so one fast pass is enough. */
export function hashSecret(secret: string): string {
  return createHash('sha256').update(secret).digest('hex');
}
