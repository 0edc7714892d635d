import { expect } from 'vitest';
import { Buckets } from '../copies/buckets.js';
import { followLibrary } from '../copies/follow-library.js';
import type { CopyTools } from '../copies/upload.js';
import { BUCKET_SECRET, startBucket, type TestBucket } from './bucket.js';
import { recipe } from './derived.js';
import { form, photo, startTestServer, type TestServer } from './harness.js';

/** An installation with stores in buckets. */
export interface Placed {
  server: TestServer;
  bucket: TestBucket;
  /** What storing and deleting copies requires. */
  tools: CopyTools;
  // biome-ignore lint/suspicious/noExplicitAny: tests look into answers freely
  api(method: string, path: string, json?: unknown): Promise<any>;
  /** Adds a connection and a store of the same name, whose keys begin with that name. @returns its id */
  addStore(name: string, settings?: object): Promise<string>;
  // biome-ignore lint/suspicious/noExplicitAny: tests look into answers freely
  addFile(folder: string, name: string, data?: Buffer | string): Promise<any>;
  // biome-ignore lint/suspicious/noExplicitAny: tests look into answers freely
  addPicture(folder: string, name: string, seed: number): Promise<any>;
  place(folder: string, placement: object | null): Promise<void>;
  /** Does what is queued, after following what happened in the library. */
  settle(): Promise<void>;
  /** The copies of an asset as `store rendition state`, sorted. */
  copiesOf(id: string): Promise<string[]>;
  /** The keys of a store in the bucket. */
  keysIn(store?: string): Promise<string[]>;
  close(): Promise<void>;
}

export async function openPlaced(env: Record<string, string> = {}): Promise<Placed> {
  const bucket = await startBucket();
  const server = await startTestServer({ env: { UNIFERUM_ALLOWED_HOSTS: bucket.host, ...env } });
  const api: Placed['api'] = async (method, path, json) => {
    const { status, body } = await server.call(method, `/api/v1${path}`, json === undefined ? {} : { json });
    if (status >= 400) throw new Error(`${method} ${path}: ${status} ${body.detail}`);
    return body;
  };
  const addFile: Placed['addFile'] = async (folder, name, data = `The bytes of ${folder}/${name}`) =>
    (await server.call('POST', '/api/v1/assets', { body: form(folder, [{ name, data: Buffer.from(data) }]) }))
      .body;
  const { joints } = server.house.plugged;
  const tools = { db: server.db, store: server.store, buckets: new Buckets(server.config), joints };
  return {
    ...{ server, bucket, tools, api, addFile },
    addPicture: async (folder, name, seed) => addFile(folder, name, await photo(600, 400, seed)),
    async addStore(name, more = {}) {
      const settings = {
        prefix: `${name}/`,
        endpoint: bucket.endpoint,
        region: 'farrow-1',
        bucket: 'lights',
        accessKey: 'keeper',
      };
      const connection = await api('POST', '/connections', {
        ...{ name, secret: BUCKET_SECRET },
        settings: { ...settings, ...more },
      });
      return (await api('POST', '/stores', { name, connection: connection.id })).id;
    },
    async place(folder, placement) {
      const id = (await api('GET', `/folders?within=${folder}`)).items.find(
        ({ path }: { path: string }) => path === folder,
      )?.id;
      expect(id, folder).toBeDefined();
      await api('PUT', `/folders/${id}/placement`, placement);
    },
    async settle() {
      await server.workUntilIdle();
      await followLibrary(server.db);
      await server.workUntilIdle();
    },
    async copiesOf(id) {
      const { items } = await api('GET', `/assets/${id}/copies`);
      return items
        .map(({ store, rendition, state }: Record<string, string>) => `${store} ${rendition} ${state}`)
        .sort();
    },
    async keysIn(name = 'offsite') {
      const keys: string[] = [];
      const store = bucket.store({ prefix: `${name}/` });
      for await (const page of store.list()) keys.push(...page.map(({ key }) => key));
      store.close();
      return keys;
    },
    async close() {
      tools.buckets.close();
      await server.close();
      await bucket.close();
    },
  };
}

/** A recipe that makes a small JPEG of every picture in a folder. */
export const small = (name: string, folder: string) => recipe(name, folder, 200);
