import { hash } from 'node:crypto';

/** The SHA-256 of a text (in UTF-8) or of bytes, in hexadecimal digits. What is too large for memory is hashed as a stream. */
export function sha256Of(data: string | Uint8Array): string {
  return hash('sha256', data, 'hex');
}
