/** The settings of a connection to a bucket; the secret is kept apart. */
export interface BucketSettings {
  /** The address of the store, without the bucket: `https://objects.example`. */
  endpoint: string;
  region: string;
  bucket: string;
  /** What every key starts with; empty, or ending in a slash. */
  prefix: string;
  /** Where the bucket's name stands: in the path, or before the host. */
  addressing: 'path' | 'virtual-host';
  accessKey: string;
  /** The address under which anybody reads objects, of the bucket or a content network before it; null for none. */
  publicUrl: string | null;
  /** Requests at once. */
  maxParallel: number;
  /** Requests in a second; null for no limit. */
  maxPerSecond: number | null;
}

export const BUCKET_DEFAULTS = {
  prefix: '',
  addressing: 'path',
  publicUrl: null,
  maxParallel: 8,
  maxPerSecond: null,
} as const satisfies Partial<BucketSettings>;

/** What a test of a bucket looks at, in order; each step needs the ones before it. */
export const BUCKET_TEST_STEPS = [
  'resolved',
  'reached',
  'clock',
  'signed in',
  'lists',
  'writes',
  'reads',
  'access',
  'deletes',
] as const;
export type BucketTestStep = (typeof BUCKET_TEST_STEPS)[number];

/** The address of an object below a base address: segments are percent-encoded, slashes stay. */
export function objectAddress(base: string, key: string): string {
  return `${base.replace(/\/+$/, '')}/${key.split('/').map(encodeSegment).join('/')}`;
}

/** Encodes everything outside RFC 3986's unreserved characters, as signatures need it. */
function encodeSegment(segment: string): string {
  return encodeURIComponent(segment).replace(
    /[!'()*]/g,
    (character) => `%${character.charCodeAt(0).toString(16).toUpperCase()}`,
  );
}
