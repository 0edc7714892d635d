import type { Readable } from 'node:stream';

/** What is computed in the single pass over received bytes. */
export interface ByteFacts {
  /** 64 hexadecimal digits. */
  sha256: string;
  /** 8 hexadecimal digits. */
  crc32: string;
  bytes: number;
  /** The first bytes, enough to detect the type. */
  head: Uint8Array;
}

/** How a local file becomes part of the store. */
export type Adoption =
  /** Its bytes are copied; the file stays. */
  | { mode: 'copy' }
  /**
   * Its bytes become the store's, without copying where the file system allows it; the caller removes the file
   * afterwards.
   */
  | { mode: 'link' }
  /** Its bytes stay where they are, and the store records the path. They count as missing once the file is changed. */
  | { mode: 'place'; store: string; key: string };

/**
 * The identity and state of a file that was read: another file at the same path has a different identity, and so does
 * the same file after a change.
 */
export interface FileIdentity {
  device: bigint;
  inode: bigint;
  bytes: bigint;
  modifiedNs: bigint;
}

/** Whether a store is readable and writable. */
export const STORE_STATES = ['ok', 'full', 'failing'] as const;
export type StoreState = (typeof STORE_STATES)[number];

/** Received bytes that are not yet part of the library. Exactly one of `keep` and `discard` completes it. */
export interface StagedBytes extends ByteFacts {
  /** For a local file: its identity. */
  source?: FileIdentity;
  /** A file with the bytes, readable until it is kept or discarded; null when a limit cut them off. */
  path: string | null;
  /** The key under which the bytes will be stored. */
  copy: { store: string; key: string };
  /**
   * Makes the bytes durable under their digest. Harmless when they exist already; when called again, it ensures that
   * they still do. On failure, the bytes stay staged.
   */
  keep(): Promise<void>;
  /** Deletes the staged bytes. May be called after `keep`, and then has no effect. */
  discard(): Promise<void>;
}

/** A local file that exists until it is released. */
export interface BorrowedFile {
  path: string;
  release(): Promise<void>;
}

/** Gives the path of a file to some work, and releases the file whatever comes of it. */
export async function withBorrowed<Result>(
  store: Pick<ByteStore, 'borrow'>,
  sha256: string,
  work: (path: string) => Promise<Result>,
): Promise<Result> {
  const file = await store.borrow(sha256);
  try {
    return await work(file.path);
  } finally {
    await file.release();
  }
}

/**
 * A store of blobs, addressed by their SHA-256. Failures of the store itself, such as a full disk, throw
 * UniferumError `storage-full` or `store-away`; a retry may succeed.
 */
export interface ByteStore {
  /** The store's name in copies. */
  readonly name: string;
  /** Prepares folders and connections. Called once, before anything else. */
  prepare(): Promise<void>;
  /** Tests whether bytes can be written and read. */
  check(): Promise<StoreState>;
  /** Deletes staging files of dead processes. @returns how many files */
  sweepStaging(minAgeMs: number): Promise<number>;
  /**
   * Stages a stream. Bytes beyond `limitBytes` are counted and not stored, so that a refusal can state the actual
   * size.
   *
   * @throws the stream's own error when it fails; nothing is left behind then
   */
  stage(stream: Readable, options: { limitBytes: number }): Promise<StagedBytes>;
  /** Stages a local file. @throws Error when it cannot be read, or changes meanwhile */
  importLocalFile(path: string, adoption: Adoption): Promise<StagedBytes>;
  /** A local folder into which another process may write files for {@link stageWrittenFile}. */
  scratch(): string;
  /** Stages a file written to that folder, using the digests that its writer computed. */
  stageWrittenFile(path: string, facts: Omit<ByteFacts, 'head'>): StagedBytes;
  /** Opens stored bytes, completely or from `start` to `end` (both included). @throws Error when there are none */
  open(sha256: string, range?: { start: number; end: number }): Readable;
  /**
   * Gives a local file with the stored bytes, for programs that read files; it may be gone after its release.
   *
   * @throws UniferumError `bytes-damaged` when they are not what they should be; a store on a disk doesn't look
   */
  borrow(sha256: string): Promise<BorrowedFile>;
  /** The key under which bytes are stored. */
  keyOf(sha256: string): string;
  /**
   * Tells whether the bytes are completely stored, and unchanged if imported in place. Quarantined bytes are
   * restored, because the caller is about to use them.
   */
  has(sha256: string): Promise<boolean>;
  /**
   * Names where bytes come from that are not here any more: `has`, `borrow` and `open` bring them back.
   *
   * @param recall brings bytes back, and tells whether it could
   */
  recallFrom(recall: (sha256: string) => Promise<boolean>): void;
  /** Lists the digests of all stored blobs, in batches. */
  listKept(): AsyncIterable<string[]>;
  /** How many bytes are stored for a digest, whatever they are; null when nothing is. Nothing is restored or cached. */
  measure(sha256: string): Promise<number | null>;
  /** Since when bytes are stored, in milliseconds; null when they are not. */
  keptSince(sha256: string): Promise<number | null>;
  /** Quarantines stored bytes; they can be restored until they are deleted. */
  quarantine(sha256: string): Promise<void>;
  restoreQuarantined(sha256: string): Promise<void>;
  deleteQuarantined(sha256: string): Promise<void>;
  /** Lists quarantined blobs, and since when. */
  listQuarantined(): Promise<{ sha256: string; sinceMs: number }[]>;
  /** A local folder for uploads in progress that span several requests. */
  arrivals(): string;
}
