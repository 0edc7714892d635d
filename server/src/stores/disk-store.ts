import { randomUUID } from 'node:crypto';
import { closeSync, createReadStream, existsSync, openSync, writeFileSync } from 'node:fs';
import { lstat, mkdir, open, readdir, rm, stat } from 'node:fs/promises';
import { join } from 'node:path';
import { Readable } from 'node:stream';
import type {
  Adoption,
  BorrowedFile,
  ByteFacts,
  ByteStore,
  StagedBytes,
  StoreState,
} from '../shared/byte-store.js';
import { checkDisk } from './check-disk.js';
import { DiskQuarantine } from './disk-quarantine.js';
import { hashFile, hashWhole } from './hash-file.js';
import { prepareBlobs } from './prepare-blobs.js';
import { type FileHandleToKeep, placeFile, reopenToKeep, stageFile } from './staged-file.js';
import { copyUnchanged, linkOrCopy, onePass, readSmall, sync, wasChanged, writeWhole } from './staging.js';
import { explainStoreFault } from './store-faults.js';

const DIGEST = /^[0-9a-f]{64}$/;

/** A staging file untouched for this long belongs to a dead process. */
const ABANDONED_MS = 24 * 3_600_000;

/**
 * Stores blobs in a folder: `blobs/ab/<sha256>`; incoming files are written to `staging/` beside it. One level of 256
 * folders is enough for millions of files, and avoids creating a folder for nearly every file.
 */
export class DiskStore implements ByteStore {
  readonly name = 'server';
  readonly #root: string;
  readonly #quarantine: DiskQuarantine;
  #recall: ((sha256: string) => Promise<boolean>) | null = null;

  constructor(root: string) {
    this.#root = root;
    this.#quarantine = new DiskQuarantine(join(root, 'aside'), (sha256) => this.localPath(sha256));
  }

  /** Creates the folders, and clears abandoned staging files. */
  async prepare(): Promise<void> {
    await prepareBlobs(join(this.#root, 'blobs'));
    await mkdir(this.#staging, { recursive: true });
    await mkdir(this.arrivals(), { recursive: true });
    await this.sweepStaging(ABANDONED_MS);
  }

  check(): Promise<StoreState> {
    return checkDisk(this.#staging, this.name);
  }

  async sweepStaging(minAgeMs: number): Promise<number> {
    let removed = 0;
    for (const name of await readdir(this.#staging)) {
      const path = join(this.#staging, name);
      const info = await stat(path).catch(() => null);
      if (!info || Date.now() - info.mtimeMs <= minAgeMs) continue;
      await rm(path, { force: true });
      removed += 1;
    }
    return removed;
  }

  async stage(stream: Readable, { limitBytes }: { limitBytes: number }): Promise<StagedBytes> {
    // It may fail before it is read; the read below handles the error anyway.
    stream.on('error', () => {});
    const path = join(this.#staging, randomUUID());
    const file = await this.#own(open(path, 'wx', 0o644));
    const drop = async () => {
      await file.close().catch(() => {});
      await rm(path, { force: true });
    };
    try {
      const write = (chunk: Buffer, position: number) => this.#own(writeWhole(file, chunk, position));
      const pass = await onePass(stream, write, limitBytes);
      if (pass.isWhole)
        return this.#staged(path, pass.facts, {
          sync: () => file.sync(),
          close: () => file.close(),
          mayBeLinked: false,
        });
      await drop();
      return {
        ...pass.facts,
        copy: this.#copyOf(pass.facts.sha256),
        path: null,
        keep: refuseToKeep,
        discard: async () => {},
      };
    } catch (error) {
      await drop();
      throw error;
    }
  }

  async importLocalFile(path: string, adoption: Adoption): Promise<StagedBytes> {
    if (adoption.mode === 'place')
      return placeFile(
        path,
        { store: adoption.store, key: adoption.key },
        {
          pathOf: (sha256) => this.localPath(sha256),
          isKept: (sha256) => this.#isHere(sha256),
          own: (work) => this.#own(work),
        },
      );
    const small = adoption.mode === 'copy' ? await this.#copySmall(path) : null;
    if (small) return small;
    const staged = join(this.#staging, randomUUID());
    try {
      const source = await (adoption.mode === 'link'
        ? linkOrCopy(path, staged)
        : copyUnchanged(path, staged)
      ).catch((error) => this.#explain(error));
      const facts = await hashFile(staged);
      if (BigInt(facts.bytes) !== source.bytes || (await wasChanged(staged, source)))
        throw new Error('it is still being written');
      return { ...this.#staged(staged, facts, reopenToKeep(staged)), source };
    } catch (error) {
      await rm(staged, { force: true });
      throw error;
    }
  }

  /**
   * Copies a small file on the main thread: a round trip through the thread pool costs several times the copy itself.
   * Null when the file is not small.
   */
  async #copySmall(path: string): Promise<StagedBytes | null> {
    const read = readSmall(path);
    if (read === null) return null;
    const staged = join(this.#staging, randomUUID());
    let file: number | null = null;
    try {
      file = openSync(staged, 'wx', 0o644);
      writeFileSync(file, read.data);
      const facts = await hashWhole(read.data);
      const open = file;
      const handle = { sync: () => sync(open), close: async () => closeSync(open), mayBeLinked: false };
      return { ...this.#staged(staged, facts, handle), source: read.source };
    } catch (error) {
      if (file !== null) closeSync(file);
      await rm(staged, { force: true });
      throw explainStoreFault(error, this.name, { isOwn: true });
    }
  }

  scratch(): string {
    return this.#staging;
  }

  stageWrittenFile(path: string, facts: Omit<ByteFacts, 'head'>): StagedBytes {
    return this.#staged(path, { ...facts, head: new Uint8Array() }, reopenToKeep(path));
  }

  open(sha256: string, range?: { start: number; end: number }): Readable {
    const path = this.localPath(sha256);
    if (this.#recall === null || existsSync(path)) return createReadStream(path, range);
    return Readable.from(this.#openRecalled(sha256, range), { objectMode: false });
  }

  async *#openRecalled(sha256: string, range?: { start: number; end: number }): AsyncGenerator<Buffer> {
    await this.has(sha256);
    yield* createReadStream(this.localPath(sha256), range);
  }

  recallFrom(recall: (sha256: string) => Promise<boolean>): void {
    this.#recall = recall;
  }

  async borrow(sha256: string): Promise<BorrowedFile> {
    if (this.#recall !== null && !existsSync(this.localPath(sha256))) await this.has(sha256);
    return { path: this.localPath(sha256), release: async () => {} };
  }

  /** The file of a blob. */
  localPath(sha256: string): string {
    return join(this.#root, this.keyOf(sha256));
  }

  keyOf(sha256: string): string {
    if (!DIGEST.test(sha256)) throw new TypeError(`Expected a SHA-256 in hexadecimal, got ${sha256}`);
    return `blobs/${sha256.slice(0, 2)}/${sha256}`;
  }

  async has(sha256: string): Promise<boolean> {
    return (await this.#isHere(sha256)) || ((await this.#recall?.(sha256)) ?? false);
  }

  async #isHere(sha256: string): Promise<boolean> {
    const path = this.localPath(sha256);
    try {
      const entry = await lstat(path);
      if (!entry.isSymbolicLink()) return true;
      // The link's time is that of the file when it was imported in place.
      return Math.abs((await stat(path)).mtimeMs - entry.mtimeMs) < PLACED_TOLERANCE_MS;
    } catch {
      // The cleanup may have quarantined it just as somebody locked it again.
      return this.restoreQuarantined(sha256).then(
        () => true,
        () => false,
      );
    }
  }

  async *listKept(): AsyncGenerator<string[]> {
    for (const folder of await readdir(join(this.#root, 'blobs')))
      yield (await readdir(join(this.#root, 'blobs', folder))).filter((name) => DIGEST.test(name));
  }

  async measure(sha256: string): Promise<number | null> {
    return (await stat(this.localPath(sha256)).catch(() => null))?.size ?? null;
  }

  async keptSince(sha256: string): Promise<number | null> {
    // The time of the name, not of the content: an imported file keeps its original modification time.
    return (await lstat(this.localPath(sha256)).catch(() => null))?.ctimeMs ?? null;
  }

  quarantine(sha256: string): Promise<void> {
    return this.#quarantine.put(sha256);
  }

  restoreQuarantined(sha256: string): Promise<void> {
    return this.#quarantine.restore(sha256);
  }

  deleteQuarantined(sha256: string): Promise<void> {
    return this.#quarantine.delete(sha256);
  }

  listQuarantined(): Promise<{ sha256: string; sinceMs: number }[]> {
    return this.#quarantine.list();
  }

  arrivals(): string {
    return join(this.#root, 'arrivals');
  }

  get #staging(): string {
    return join(this.#root, 'staging');
  }

  #copyOf(sha256: string): StagedBytes['copy'] {
    return { store: this.name, key: this.keyOf(sha256) };
  }

  #staged(path: string, facts: ByteFacts, handle: FileHandleToKeep): StagedBytes {
    return stageFile(path, facts, handle, {
      target: this.localPath(facts.sha256),
      copy: this.#copyOf(facts.sha256),
      isKept: () => this.#isHere(facts.sha256),
      own: (work) => this.#own(work),
    });
  }

  /** Runs an operation on the store's own files: any failure is the store's. */
  #own<Result>(work: Promise<Result>): Promise<Result> {
    return work.catch((error) => {
      throw explainStoreFault(error, this.name, { isOwn: true });
    });
  }

  #explain(error: unknown): never {
    throw explainStoreFault(error, this.name);
  }
}

/** The precision with which file systems store a link's time. */
const PLACED_TOLERANCE_MS = 1;

async function refuseToKeep(): Promise<never> {
  throw new Error('Expected bytes within their limit, got bytes that were cut off');
}
