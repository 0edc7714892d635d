import { createHash, randomUUID } from 'node:crypto';
import { createWriteStream } from 'node:fs';
import { copyFile, mkdir, open, readdir, rename, rm, rmdir, stat } from 'node:fs/promises';
import { dirname, join } from 'node:path';
import type { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import type {
  ByteRange,
  CallOptions,
  CopyCapability,
  CopySource,
  CopyStore,
  ObjectFacts,
  ObjectHeaders,
} from '../shared/copy-store.js';
import { damagedSource, missingObject, requireKey } from './copy-checks.js';
import { keyOfPath, PARTIAL, pathOfKey } from './key-paths.js';
import { syncFolder } from './staging.js';
import { explainStoreFault } from './store-faults.js';

/**
 * A folder as a store of copies. A key's segments become folders and a file, so that people find their files by name.
 */
export class DiskCopies implements CopyStore {
  readonly name: string;
  readonly capabilities: ReadonlySet<CopyCapability> = new Set<CopyCapability>(['copy-within']);
  readonly #root: string;

  constructor(name: string, root: string) {
    this.name = name;
    this.#root = root;
  }

  async put(
    key: string,
    source: CopySource,
    _headers: ObjectHeaders,
    { signal }: CallOptions = {},
  ): Promise<ObjectFacts> {
    requireKey(key);
    const path = this.#pathOf(key);
    const beside = join(this.#root, `${PARTIAL}${randomUUID()}`);
    const digest = createHash('sha256');
    try {
      const stream = await source.open();
      await this.#own(
        pipeline(
          stream,
          async function* (chunks: AsyncIterable<Buffer>) {
            for await (const chunk of chunks) {
              digest.update(chunk);
              yield chunk;
            }
          },
          createWriteStream(beside, { flush: true }),
          ...(signal ? [{ signal }] : []),
        ),
      );
      if (digest.digest('hex') !== source.sha256) throw damagedSource(key, this.name);
      await this.#own(place(beside, path));
    } catch (error) {
      await rm(beside, { force: true });
      throw error;
    }
    const facts = await this.head(key);
    if (!facts) throw missingObject(key, this.name);
    return facts;
  }

  async open(key: string, { range }: CallOptions & { range?: ByteRange } = {}): Promise<Readable> {
    const path = this.#pathOf(key);
    const file = await open(path, 'r').catch((error) => {
      throw isMissing(error) ? missingObject(key, this.name) : explainStoreFault(error, this.name);
    });
    return file.createReadStream(range ?? {});
  }

  async head(key: string): Promise<ObjectFacts | null> {
    try {
      const info = await stat(this.#pathOf(key), { bigint: true });
      if (!info.isFile()) return null;
      return {
        key,
        bytes: Number(info.size),
        // Two files of the same size can be written within a tick of the clock; they are never the same file.
        etag: [info.ino, info.size, info.mtimeNs].map((number) => number.toString(16)).join('-'),
        modifiedAt: info.mtime,
      };
    } catch (error) {
      if (isMissing(error)) return null;
      throw explainStoreFault(error, this.name);
    }
  }

  async delete(key: string): Promise<void> {
    const path = this.#pathOf(key);
    await this.#own(
      rm(path, { force: true }).catch((error) => {
        if (!isMissing(error)) throw error;
      }),
    );
    await this.#removeEmpty(dirname(path));
  }

  async *list({
    prefix = '',
    after = '',
  }: {
    prefix?: string;
    after?: string;
  } = {}): AsyncGenerator<ObjectFacts[]> {
    const keys: string[] = [];
    for (const entry of await this.#own(readdir(this.#root, { recursive: true, withFileTypes: true }))) {
      if (!entry.isFile() || entry.name.startsWith(PARTIAL)) continue;
      const key = keyOfPath(join(entry.parentPath, entry.name).slice(this.#root.length + 1));
      if (key.startsWith(prefix) && byBytes(key, after) > 0) keys.push(key);
    }
    keys.sort(byBytes);
    for (let at = 0; at < keys.length; at += LISTED)
      yield (await Promise.all(keys.slice(at, at + LISTED).map((key) => this.head(key)))).filter(
        (facts) => facts !== null,
      );
  }

  async copyWithin(from: string, to: string): Promise<void> {
    const beside = join(this.#root, `${PARTIAL}${randomUUID()}`);
    try {
      await copyFile(this.#pathOf(from), beside).catch((error) => {
        throw isMissing(error) ? missingObject(from, this.name) : explainStoreFault(error, this.name);
      });
      await this.#own(place(beside, this.#pathOf(to)));
    } finally {
      await rm(beside, { force: true });
    }
  }

  signAddress(): Promise<string> {
    throw new Error('Expected a store with signed addresses, got a disk');
  }

  publicAddress(): string {
    throw new Error('Expected a store with public addresses, got a disk');
  }

  async sweep(minAgeMs: number): Promise<number> {
    let removed = 0;
    for (const name of await this.#own(readdir(this.#root))) {
      const path = join(this.#root, name);
      if (!name.startsWith(PARTIAL)) continue;
      const info = await stat(path).catch(() => null);
      // Null when it was completed just now.
      if (info === null || Date.now() - info.mtimeMs < minAgeMs) continue;
      await rm(path, { force: true });
      removed += 1;
    }
    return removed;
  }

  close(): void {}

  #pathOf(key: string): string {
    return join(this.#root, pathOfKey(key));
  }

  /** Removes folders that have become empty; one that gets a file just then stays. */
  async #removeEmpty(folder: string): Promise<void> {
    for (let at = folder; at.length > this.#root.length; at = dirname(at)) {
      const isGone = await rmdir(at).then(
        () => true,
        () => false,
      );
      if (!isGone) return;
    }
  }

  #own<Result>(work: Promise<Result>): Promise<Result> {
    return work.catch((error) => {
      throw explainStoreFault(error, this.name, { isOwn: true });
    });
  }
}

const LISTED = 1000;
const ATTEMPTS = 5;

/** Moves a written file to its place. The folder may be removed as empty just before. */
async function place(beside: string, path: string): Promise<void> {
  for (let attempt = 1; ; attempt += 1) {
    await mkdir(dirname(path), { recursive: true });
    try {
      await rename(beside, path);
      return await syncFolder(dirname(path));
    } catch (error) {
      if (!isMissing(error) || attempt === ATTEMPTS) throw error;
    }
  }
}

function isMissing(error: unknown): boolean {
  const { code } = error as NodeJS.ErrnoException;
  return code === 'ENOENT' || code === 'ENOTDIR';
}

function byBytes(a: string, b: string): number {
  return Buffer.compare(Buffer.from(a), Buffer.from(b));
}
