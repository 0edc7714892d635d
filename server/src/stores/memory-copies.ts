import { Readable } from 'node:stream';
import { buffer } from 'node:stream/consumers';
import type {
  ByteRange,
  CallOptions,
  CopyCapability,
  CopySource,
  CopyStore,
  ObjectFacts,
  ObjectHeaders,
} from '../shared/copy-store.js';
import { sha256Of } from '../shared/sha256.js';
import { damagedSource, missingObject, readRange, requireKey } from './copy-checks.js';

/** A store of copies in memory, for tests. */
export class MemoryCopies implements CopyStore {
  readonly name: string;
  readonly capabilities: ReadonlySet<CopyCapability> = new Set<CopyCapability>(['copy-within']);
  readonly #objects = new Map<string, { bytes: Buffer; facts: ObjectFacts; headers: ObjectHeaders }>();

  constructor(name = 'memory') {
    this.name = name;
  }

  async put(
    key: string,
    source: CopySource,
    headers: ObjectHeaders,
    { signal }: CallOptions = {},
  ): Promise<ObjectFacts> {
    requireKey(key);
    signal?.throwIfAborted();
    const bytes = await buffer(await source.open());
    signal?.throwIfAborted();
    const digest = sha256Of(bytes);
    if (digest !== source.sha256) throw damagedSource(key, this.name);
    const facts = { key, bytes: bytes.length, etag: digest, modifiedAt: new Date() };
    this.#objects.set(key, { bytes, facts, headers });
    return facts;
  }

  async open(key: string, { range }: CallOptions & { range?: ByteRange } = {}): Promise<Readable> {
    const object = this.#objects.get(key);
    if (!object) throw missingObject(key, this.name);
    const part = readRange(range, object.bytes.length);
    return Readable.from([object.bytes.subarray(part.start, part.end + 1)], { objectMode: false });
  }

  async head(key: string): Promise<ObjectFacts | null> {
    return this.#objects.get(key)?.facts ?? null;
  }

  async delete(key: string): Promise<void> {
    this.#objects.delete(key);
  }

  async *list({
    prefix = '',
    after = '',
  }: {
    prefix?: string;
    after?: string;
  } = {}): AsyncGenerator<ObjectFacts[]> {
    const facts = [...this.#objects.values()]
      .map((object) => object.facts)
      .filter(({ key }) => key.startsWith(prefix) && byBytes(key, after) > 0);
    yield facts.sort((a, b) => byBytes(a.key, b.key));
  }

  async copyWithin(from: string, to: string): Promise<void> {
    const object = this.#objects.get(from);
    if (!object) throw missingObject(from, this.name);
    this.#objects.set(to, { ...object, facts: { ...object.facts, key: to, modifiedAt: new Date() } });
  }

  signAddress(): Promise<string> {
    throw new Error('Expected a store with signed addresses, got one in memory');
  }

  publicAddress(): string {
    throw new Error('Expected a store with public addresses, got one in memory');
  }

  async sweep(): Promise<number> {
    return 0;
  }

  close(): void {}
}

function byBytes(a: string, b: string): number {
  return Buffer.compare(Buffer.from(a), Buffer.from(b));
}
