import { randomBytes } from 'node:crypto';
import { sha256Of } from '../shared/sha256.js';

/** Creates the secret of an API key; the prefix `uf_` lets repository scanners find leaked ones. */
export function newKeySecret(): string {
  return `uf_${randomBytes(30).toString('base64url')}`;
}

const TOKEN_PREFIX = 'ut_';

/** Creates a short-lived token for a browser. */
export function newTokenSecret(): string {
  return TOKEN_PREFIX + randomBytes(30).toString('base64url');
}

/** Tells a token from the secret of a key. */
export function isToken(secret: string): boolean {
  return secret.startsWith(TOKEN_PREFIX);
}

/** Creates a session token. */
export function newSessionToken(): string {
  return randomBytes(32).toString('base64url');
}

/**
 * The digest stored in place of a secret. Secrets have at least 240 random bits and cannot be guessed, so one fast
 * hash is enough.
 */
export function hashSecret(secret: string): string {
  return sha256Of(secret);
}
