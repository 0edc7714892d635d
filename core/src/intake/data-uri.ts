/** The content of a data URI, or why it cannot be read. */
export type DataUri = { ok: true; mime: string; bytes: Uint8Array } | { ok: false; reason: string };

/** The type of a data URI without one. */
const DEFAULT_TYPE = 'text/plain';

/** Reads a data URI (RFC 2397), in base64 or percent-encoded. */
export function parseDataUri(uri: string): DataUri {
  const comma = uri.indexOf(',');
  if (!/^data:/i.test(uri)) return { ok: false, reason: 'it does not begin with "data:"' };
  if (comma < 0) return { ok: false, reason: 'it has no comma before its data' };
  const head = uri.slice('data:'.length, comma);
  const isBase64 = /;\s*base64\s*$/i.test(head);
  const mime = (head.split(';')[0] ?? '').trim().toLowerCase() || DEFAULT_TYPE;
  if (!/^[a-z0-9!#$&^_.+-]+\/[a-z0-9!#$&^_.+-]+$/.test(mime))
    return { ok: false, reason: `"${mime}" is not a media type` };
  const bytes = percentDecode(uri.slice(comma + 1));
  if (bytes === null) return { ok: false, reason: 'a "%" in it is not followed by two hexadecimal digits' };
  if (!isBase64) return { ok: true, mime, bytes };
  const decoded = decodeBase64(latin1(bytes));
  return decoded === null
    ? { ok: false, reason: 'its data is not valid base64' }
    : { ok: true, mime, bytes: decoded };
}

function percentDecode(text: string): Uint8Array | null {
  const raw = new TextEncoder().encode(text);
  const bytes = new Uint8Array(raw.length);
  let length = 0;
  for (let at = 0; at < raw.length; at += 1) {
    if (raw[at] !== 0x25) {
      bytes[length++] = raw[at] as number;
      continue;
    }
    const digits = String.fromCharCode(raw[at + 1] ?? 0, raw[at + 2] ?? 0);
    if (!/^[0-9a-f]{2}$/i.test(digits)) return null;
    bytes[length++] = Number.parseInt(digits, 16);
    at += 2;
  }
  return bytes.subarray(0, length);
}

function decodeBase64(text: string): Uint8Array | null {
  try {
    const binary = atob(text.replace(/[\s]/g, '').replaceAll('-', '+').replaceAll('_', '/'));
    return Uint8Array.from(binary, (char) => char.charCodeAt(0));
  } catch {
    return null;
  }
}

function latin1(bytes: Uint8Array): string {
  let text = '';
  for (const byte of bytes) text += String.fromCharCode(byte);
  return text;
}
