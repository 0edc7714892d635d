import { createHash, randomUUID } from 'node:crypto';
import { createReadStream, mkdirSync, readdirSync, readFileSync } from 'node:fs';
import { readFile, rename, rm, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import type { Readable } from 'node:stream';
import type { Received } from './receive.js';

/** An object of a bucket. */
export interface StoredObject {
  key: string;
  /** The name of the file with its bytes. */
  file: string;
  bytes: number;
  /** Without quotes. */
  etag: string;
  /** ISO 8601. */
  modifiedAt: string;
  isPublic: boolean;
  /** Of the whole object in base64; null for one put together from parts. */
  sha256: string | null;
  /** What is sent with it: `content-type`, `cache-control`, `x-amz-meta-…`. */
  headers: Record<string, string>;
}

/** The objects of one bucket: bytes and descriptions in files, an index in memory. */
export class ObjectFiles {
  readonly #folder: string;
  readonly #objects = new Map<string, StoredObject>();
  /** Keys in the order of their UTF-8 bytes; null after a change. */
  #sorted: string[] | null = null;

  constructor(folder: string) {
    this.#folder = folder;
    mkdirSync(folder, { recursive: true });
    for (const name of readdirSync(folder)) {
      if (!name.endsWith('.json')) continue;
      const object = JSON.parse(readFileSync(join(folder, name), 'utf8')) as StoredObject;
      this.#objects.set(object.key, object);
    }
  }

  get(key: string): StoredObject | null {
    return this.#objects.get(key) ?? null;
  }

  /** Puts received bytes under a key, in place of what was there. */
  async put(
    key: string,
    body: Received,
    about: Pick<StoredObject, 'etag' | 'isPublic' | 'sha256' | 'headers'>,
  ) {
    const before = this.#objects.get(key);
    const file = randomUUID();
    const object = { ...about, key, file, bytes: body.bytes, modifiedAt: new Date().toISOString() };
    await rename(body.path, join(this.#folder, file));
    await this.#describe(object);
    if (!before) this.#sorted = null;
    this.#objects.set(key, object);
    if (before) await rm(join(this.#folder, before.file), { force: true });
    return object;
  }

  async delete(key: string): Promise<void> {
    const object = this.#objects.get(key);
    if (!object) return;
    this.#objects.delete(key);
    this.#sorted = null;
    await rm(this.#descriptionOf(key), { force: true });
    await rm(join(this.#folder, object.file), { force: true });
  }

  open(object: StoredObject, range?: { start: number; end: number }): Readable {
    return createReadStream(join(this.#folder, object.file), range);
  }

  /** Changes the bytes of an object and nothing that is said about it, as a failing disk does. */
  async corrupt(key: string): Promise<void> {
    const object = this.#objects.get(key);
    if (!object) return;
    const path = join(this.#folder, object.file);
    const bytes = await readFile(path);
    const middle = Math.floor(bytes.length / 2);
    if (bytes.length > 0) bytes[middle] = (bytes[middle] ?? 0) ^ 0xff;
    await writeFile(path, bytes);
  }

  /** Keys with a prefix after another, in order. */
  *list(prefix: string, after: string): Generator<StoredObject> {
    this.#sorted ??= [...this.#objects.keys()].sort(byBytes);
    const from = after > prefix ? after : prefix;
    for (let at = lowerBound(this.#sorted, from); at < this.#sorted.length; at += 1) {
      const key = this.#sorted[at] as string;
      if (!key.startsWith(prefix)) {
        if (byBytes(key, prefix) > 0) return;
        continue;
      }
      const object = this.#objects.get(key);
      if (object && (after === '' || byBytes(key, after) > 0)) yield object;
    }
  }

  get size(): number {
    return this.#objects.size;
  }

  async #describe(object: StoredObject): Promise<void> {
    const path = this.#descriptionOf(object.key);
    const beside = `${path}.${randomUUID()}`;
    await writeFile(beside, JSON.stringify(object));
    await rename(beside, path);
  }

  #descriptionOf(key: string): string {
    return join(this.#folder, `${createHash('sha256').update(key).digest('hex')}.json`);
  }
}

/** Orders keys by their UTF-8 bytes, which is the order of code points and not that of UTF-16. */
function byBytes(a: string, b: string): number {
  const length = Math.min(a.length, b.length);
  for (let at = 0; at < length; at += 1) {
    const x = a.charCodeAt(at);
    const y = b.charCodeAt(at);
    if (x !== y) return rank(x) - rank(y);
  }
  return a.length - b.length;
}

/** Surrogates stand for code points above all others. */
function rank(unit: number): number {
  return unit >= 0xd800 && unit <= 0xdfff ? unit + 0x10000 : unit;
}

function lowerBound(keys: readonly string[], key: string): number {
  let low = 0;
  let high = keys.length;
  while (low < high) {
    const middle = (low + high) >> 1;
    if (byBytes(keys[middle] as string, key) < 0) low = middle + 1;
    else high = middle;
  }
  return low;
}
