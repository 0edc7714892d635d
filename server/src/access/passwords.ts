import { randomBytes, type ScryptOptions, scrypt, timingSafeEqual } from 'node:crypto';
import { promisify } from 'node:util';

const derive = promisify<string, Buffer, number, ScryptOptions, Buffer>(scrypt);

/** OWASP Password Storage Cheat Sheet, scrypt: N=2^15, r=8, p=3 (32 MiB for each hash). */
const COST = { N: 2 ** 15, r: 8, p: 3 } as const;
const KEY_BYTES = 32;
const MAX_MEMORY = 64 * 1024 * 1024;

/** Hashes a password with scrypt (RFC 7914), as `scrypt$N$r$p$salt$hash`. */
export async function hashPassword(password: string): Promise<string> {
  const salt = randomBytes(16);
  const hash = await derive(password.normalize('NFKC'), salt, KEY_BYTES, { ...COST, maxmem: MAX_MEMORY });
  return ['scrypt', COST.N, COST.r, COST.p, salt.toString('base64url'), hash.toString('base64url')].join('$');
}

/**
 * Verifies a password in constant time. A null hash takes just as long and never matches, so that timing does not
 * reveal which emails exist.
 */
export async function verifyPassword(password: string, stored: string | null): Promise<boolean> {
  const [, n, r, p, salt, hash] = (stored ?? `scrypt$${COST.N}$${COST.r}$${COST.p}$AAAA$AAAA`).split('$');
  const expected = Buffer.from(hash ?? '', 'base64url');
  const actual = await derive(password.normalize('NFKC'), Buffer.from(salt ?? '', 'base64url'), KEY_BYTES, {
    N: Number(n),
    r: Number(r),
    p: Number(p),
    maxmem: MAX_MEMORY,
  });
  return stored !== null && expected.length === actual.length && timingSafeEqual(expected, actual);
}
