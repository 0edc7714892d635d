import { createCipheriv, createDecipheriv, hkdfSync, randomBytes } from 'node:crypto';
import type { Config } from './config.js';

const ALGORITHM = 'aes-256-gcm';
const NONCE_BYTES = 12;
const TAG_BYTES = 16;

/** Encrypts a secret of a connection for the database. The key is not kept there. */
export function sealSecret({ masterKey }: Pick<Config, 'masterKey'>, secret: string): string {
  const nonce = randomBytes(NONCE_BYTES);
  const cipher = createCipheriv(ALGORITHM, keyOf(masterKey), nonce);
  const sealed = Buffer.concat([cipher.update(secret, 'utf8'), cipher.final()]);
  return Buffer.concat([nonce, cipher.getAuthTag(), sealed]).toString('base64');
}

/** Decrypts what `sealSecret` returned. @throws Error when it was sealed with another master key, or was changed */
export function openSecret({ masterKey }: Pick<Config, 'masterKey'>, sealed: string): string {
  const bytes = Buffer.from(sealed, 'base64');
  const decipher = createDecipheriv(ALGORITHM, keyOf(masterKey), bytes.subarray(0, NONCE_BYTES));
  decipher.setAuthTag(bytes.subarray(NONCE_BYTES, NONCE_BYTES + TAG_BYTES));
  const text = Buffer.concat([decipher.update(bytes.subarray(NONCE_BYTES + TAG_BYTES)), decipher.final()]);
  return text.toString('utf8');
}

function keyOf(masterKey: string): Uint8Array {
  return new Uint8Array(hkdfSync('sha256', masterKey, '', 'uniferum secrets', 32));
}
