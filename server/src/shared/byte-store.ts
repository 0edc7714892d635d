import type { Readable } from 'node:stream';

/** What is known of bytes after the one pass in which they were taken in. */
export interface ByteFacts {
  /** 64 hexadecimal digits. */
  sha256: string;
  /** 8 hexadecimal digits. */
  crc32: string;
  bytes: number;
  /** The first bytes, enough to tell the type. */
  head: Uint8Array;
}

/** How a file that is on this machine already becomes part of the store. */
export type Adoption =
  /** Its bytes are copied; the file stays. */
  | { mode: 'copy' }
  /** Its bytes become the store's without being copied where the disk allows it; the caller takes the file away afterwards. */
  | { mode: 'link' }
  /** Its bytes stay where they are, and the store remembers where. They count as missing once the file is changed. */
  | { mode: 'place'; store: string; key: string };

/** Which file, in which state, was read: another file at the same path has another identity, and so has the same one after a change. */
export interface FileIdentity {
  device: bigint;
  inode: bigint;
  bytes: bigint;
  modifiedNs: bigint;
}

/** Whether a store can be written and read. */
export const STORE_STATES = ['ok', 'full', 'failing'] as const;
export type StoreState = (typeof STORE_STATES)[number];

/** Bytes that have arrived and are not yet part of the library. Exactly one of `keep` and `discard` ends it. */
export interface StagedBytes extends ByteFacts {
  /** Of bytes that were read from a file of this machine: which file that was. */
  source?: FileIdentity;
  /** A file with the bytes, for reading until it is kept or discarded; null when a limit cut them off. */
  path: string | null;
  /** Where the bytes are kept once they are. */
  copy: { store: string; key: string };
  /**
   * Makes the bytes durable under their digest. Harmless when they are there already; called again, it makes sure that
   * they still are. When it fails, the bytes stay staged.
   */
  keep(): Promise<void>;
  /** Drops the bytes. May be called after `keep`, and then does nothing. */
  discard(): Promise<void>;
}

/**
 * A place where blobs are kept, addressed by their SHA-256. What fails because of the place itself, a full disk for one,
 * throws UniferumError `storage-full` or `store-away`, and may go better later.
 */
export interface ByteStore {
  /** The store's name in copies. */
  readonly name: string;
  /** Makes folders and connections ready. To be called once, before everything else. */
  prepare(): Promise<void>;
  /** Tries whether bytes can be written and read. */
  check(): Promise<StoreState>;
  /** Removes what processes left in staging that died. @returns how many files */
  sweepStaging(minAgeMs: number): Promise<number>;
  /**
   * Takes a stream in. Past `limitBytes` the rest is counted and not kept, so that a refusal can say the true size.
   *
   * @throws the stream's own error when it breaks off; nothing is left behind then
   */
  stage(stream: Readable, options: { limitBytes: number }): Promise<StagedBytes>;
  /** Takes a file of this machine in. @throws Error when it can't be read, or changes meanwhile */
  importLocalFile(path: string, adoption: Adoption): Promise<StagedBytes>;
  /** A folder on this machine into which another process may write files for {@link stageWrittenFile}. */
  scratch(): string;
  /** Takes a file in that folder over, with what its writer computed while it had the bytes. */
  stageWrittenFile(path: string, facts: Omit<ByteFacts, 'head'>): StagedBytes;
  /** Opens kept bytes, whole or from `start` to `end` (both included). @throws Error when there are none */
  open(sha256: string, range?: { start: number; end: number }): Readable;
  /** A local file with kept bytes, for programs that read files. */
  localPath(sha256: string): string;
  /** The key under which bytes are kept. */
  keyOf(sha256: string): string;
  /**
   * Tells whether the bytes are kept whole, and unchanged where they were registered in place. Bytes that were put aside
   * are brought back: who asks is about to use them.
   */
  has(sha256: string): Promise<boolean>;
  /** Lists the digests of everything that is kept, some at a time. */
  listKept(): AsyncIterable<string[]>;
  /** Since when bytes are kept, in milliseconds; null when they aren't. */
  keptSince(sha256: string): Promise<number | null>;
  /** Puts kept bytes aside, from where they can be brought back until they are removed. */
  quarantine(sha256: string): Promise<void>;
  restoreQuarantined(sha256: string): Promise<void>;
  deleteQuarantined(sha256: string): Promise<void>;
  /** Lists what was put aside, and since when. */
  listQuarantined(): Promise<{ sha256: string; sinceMs: number }[]>;
  /** A folder on this machine for what is on its way and may take several requests. */
  arrivals(): string;
}
