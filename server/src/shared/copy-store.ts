import type { Readable } from 'node:stream';

/** Bytes to store, wherever they come from. */
export interface CopySource {
  bytes: number;
  /** 64 hexadecimal digits. */
  sha256: string;
  /** Opens the bytes, or from `start` to `end` (both included). Called again when a part has to be sent again. */
  open(range?: ByteRange): Readable | Promise<Readable>;
}

/** The first and the last byte of a part. */
export interface ByteRange {
  start: number;
  end: number;
}

/** How an object is sent to those who read it without us. */
export interface ObjectHeaders {
  mime: string;
  /** The value of `Cache-Control`. */
  cacheControl?: string;
}

/** What a store knows of an object without its bytes. */
export interface ObjectFacts {
  key: string;
  bytes: number;
  /** Changes with the bytes; only compared with another of the same store and key. */
  etag: string;
  modifiedAt: Date;
}

/** What a store can do beyond storing; asked, never assumed. */
export const COPY_CAPABILITIES = [
  /** Makes addresses that expire. */
  'signed-addresses',
  /** Copies an object to another key without sending its bytes. */
  'copy-within',
  /** Objects can be read without us. */
  'public-addresses',
] as const;
export type CopyCapability = (typeof COPY_CAPABILITIES)[number];

export interface CallOptions {
  signal?: AbortSignal;
}

/**
 * A store of objects by key: a disk, a bucket. Keys are Unicode text of up to 1024 bytes in UTF-8. Every call may be
 * repeated. Failures of the store itself throw UniferumError `store-away` or `storage-full`, and a later attempt may
 * succeed; `store-refused` is about this object or right, and stays so until somebody changes something.
 */
export interface CopyStore {
  readonly name: string;
  readonly capabilities: ReadonlySet<CopyCapability>;
  /**
   * Stores an object in place of what was there; it appears whole or not at all. The store verifies the bytes.
   *
   * @throws UniferumError `bytes-damaged` when the source does not have its digest
   */
  put(key: string, source: CopySource, headers: ObjectHeaders, options?: CallOptions): Promise<ObjectFacts>;
  /** Opens an object. @throws UniferumError `not-found` */
  open(key: string, options?: CallOptions & { range?: ByteRange }): Promise<Readable>;
  /** Null when there is none. */
  head(key: string, options?: CallOptions): Promise<ObjectFacts | null>;
  /** Deletes an object; deleting none succeeds. */
  delete(key: string, options?: CallOptions): Promise<void>;
  /** Lists objects in pages, ordered by the UTF-8 bytes of their keys. */
  list(options?: CallOptions & { prefix?: string; after?: string }): AsyncIterable<ObjectFacts[]>;
  /** With `copy-within`. @throws UniferumError `not-found` */
  copyWithin(from: string, to: string, options?: CallOptions): Promise<void>;
  /** An address that anybody may read until it expires, with `signed-addresses`. */
  signAddress(key: string, options: { expiresInS: number; fileName?: string }): Promise<string>;
  /** Where anybody reads the object, with `public-addresses`. */
  publicAddress(key: string): string;
  /** Removes what puts of dead processes left behind. @returns how many */
  sweep(minAgeMs: number): Promise<number>;
  /** Releases connections. */
  close(): void;
}
