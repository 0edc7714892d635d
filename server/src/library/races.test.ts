import { mkdir, readdir, rename, rm } from 'node:fs/promises';
import { join } from 'node:path';
import { Readable } from 'node:stream';
import { afterAll, beforeAll, describe, expect, inject, test } from 'vitest';
import { findBroken } from '../house/invariants.js';
import { recordFailures } from '../recipes/record.js';
import { inTransaction } from '../shared/database.js';
import { api, callsOf } from '../testing/calls.js';
import { recipe } from '../testing/derived.js';
import { type Answer, form, photo, startTestServer, type TestServer } from '../testing/harness.js';

let server: TestServer;
beforeAll(async () => {
  server = await startTestServer();
});
afterAll(() => server.close());
const { assetsOf } = callsOf(() => server);

const call = (method: string, path: string, json?: unknown): Promise<Answer> =>
  server.call(method, `${api}${path}`, json === undefined ? {} : { json });
const send = (folder: string, name: string, data: string | Buffer): Promise<Answer> =>
  server.call('POST', `${api}/assets`, { body: form(folder, [{ name, data: Buffer.from(data) }]) });
const expectWhole = async () => expect(await findBroken(server.db, server.store)).toEqual([]);
const times = (count: number) => Array.from({ length: count }, (_, n) => n);

async function folderOf(path: string): Promise<{ id: string } | null> {
  const { items } = (await call('GET', `/folders?within=${path}&limit=1`)).body;
  return items[0]?.path === path ? items[0] : null;
}

async function makeFolder(path: string, rules?: object): Promise<string> {
  const { id } = (await call('POST', '/folders', { path })).body;
  if (rules) await call('PUT', `/folders/${id}/rules`, rules);
  return id;
}

describe('rules, when several come at once', () => {
  test('the same bytes into two folders that refuse duplicates: one comes in', async () => {
    await makeFolder('/one-of', { duplicates: 'refuse' });
    for (const n of times(8)) {
      const data = `only once ${n}`;
      const answers = await Promise.all([
        send('/one-of/a', `${n}.txt`, data),
        send('/one-of/b', `${n}.txt`, data),
        send('/one-of/c', `${n}.txt`, data),
      ]);
      expect(answers.map(({ status }) => status).sort()).toEqual([201, 422, 422]);
    }
    expect(await assetsOf('/one-of')).toHaveLength(8);
  });

  test('the last place of a folder that is not there yet: one comes in', async () => {
    await makeFolder('/limited', { maxItems: 1 });
    for (const n of times(8)) {
      const answers = await Promise.all(
        times(3).map((k) => send(`/limited/new-${n}`, `${k}.txt`, `${n} ${k}`)),
      );
      expect(answers.map(({ status }) => status).sort()).toEqual([201, 422, 422]);
    }
  });

  test('an upload and a restore: the last place is taken once', async () => {
    const id = await makeFolder('/last-place');
    for (const n of times(5)) {
      const binned = (await send('/last-place', `old-${n}.txt`, `old ${n}`)).body.id;
      await call('DELETE', `/assets/${binned}`);
      const { items } = (await call('GET', `/folders/${id}`)).body;
      await call('PUT', `/folders/${id}/rules`, { maxItems: items + 1 });
      const [restored, sent] = await Promise.all([
        call('POST', `/assets/${binned}/restore`, {}),
        send('/last-place', `new-${n}.txt`, `new ${n}`),
      ]);
      expect([restored.status === 200, sent.status === 201].filter(Boolean)).toHaveLength(1);
    }
  });
});

describe('folders, when several change them at once', () => {
  test('one that is moved while files come into it is moved whole, or made anew', async () => {
    await makeFolder('/away');
    for (const n of times(10)) {
      const id = await makeFolder(`/mv${n}/sub`);
      expect(id).toBeDefined();
      const moving = (await folderOf(`/mv${n}`)) as { id: string };
      await Promise.all([
        call('PATCH', `/folders/${moving.id}`, { parent: '/away' }),
        ...times(4).map((k) => send(`/mv${n}/sub/deeper-${k}`, 'a.txt', `${n} ${k}`)),
        call('POST', '/folders', { path: `/mv${n}/other` }),
      ]);
      expect(await folderOf(`/away/mv${n}`)).toMatchObject({ id: moving.id });
      const found = [...(await assetsOf(`/away/mv${n}`)), ...(await assetsOf(`/mv${n}`))];
      expect(found).toHaveLength(4);
      await expectWhole();
    }
  });

  test('one that is taken away while something is made in it is gone, or holds it', async () => {
    for (const n of times(12)) {
      const id = await makeFolder(`/rm${n}`);
      const [removed] = await Promise.all([
        call('DELETE', `/folders/${id}`),
        call('POST', '/folders', { path: `/rm${n}/child` }),
        send(`/rm${n}/files`, 'a.txt', `rm ${n}`),
      ]);
      expect([204, 409]).toContain(removed.status);
      expect(await assetsOf(`/rm${n}`)).toHaveLength(1);
      await expectWhole();
    }
  });

  test("two that are moved into each other don't both get there", async () => {
    for (const n of times(6)) {
      const [a, b] = [await makeFolder(`/x${n}/a`), await makeFolder(`/y${n}/b`)];
      const answers = await Promise.all([
        call('PATCH', `/folders/${a}`, { parent: `/y${n}/b` }),
        call('PATCH', `/folders/${b}`, { parent: `/x${n}/a` }),
      ]);
      expect(answers.filter(({ status }) => status === 200).length).toBeGreaterThan(0);
      await expectWhole();
    }
  });
});

describe('recipes, while files come in', () => {
  test("a new one misses no picture, and an edit's counts lose nothing", async () => {
    const data = await Promise.all(times(4).map((n) => photo(50, 40, 40 + n)));
    const sending = times(40).map(async (n) => {
      await new Promise((resolve) => setImmediate(resolve));
      return send('/applied', `${n}.jpg`, data[n % 4] as Buffer);
    });
    const made = await call('POST', '/recipes', recipe('during', '/applied', 30));
    const edited = await call('PUT', '/recipes/during', {
      title: 'During',
      folders: ['/applied'],
      steps: [{ op: 'fit', mode: 'inside', width: 20 }],
      output: { format: 'jpeg', quality: 70 },
    });
    expect([made.status, edited.status]).toEqual([201, 200]);
    for (const { status } of await Promise.all(sending)) expect(status).toBe(201);
    const assets = (await assetsOf('/applied')) as unknown as { renditions: { recipe: string }[] }[];
    expect(
      assets.filter(({ renditions }) => renditions.some(({ recipe: name }) => name === 'during')),
    ).toHaveLength(40);
    await server.workUntilIdle();
    await expectWhole();
  });

  test('a recipe that is deleted while files come in leaves no row behind', async () => {
    const data = await photo(50, 40, 77);
    for (const n of times(5)) {
      await call('POST', '/recipes', recipe(`gone-${n}`, '/deleted', 30));
      const sending = times(8).map((k) => send('/deleted', `${n}-${k}.jpg`, data));
      await call('DELETE', `/recipes/gone-${n}`);
      await Promise.all(sending);
      const [rows] = await server.db.query<unknown[]>(
        "SELECT 1 FROM renditions WHERE recipe = ? AND state <> 'surplus'",
        [`gone-${n}`],
      );
      expect(rows).toEqual([]);
    }
    await server.workUntilIdle();
    await expectWhole();
  });

  test('a failure of an earlier version that comes late leaves the fresh rendition of the next one', async () => {
    await call('POST', '/recipes', recipe('late', '/late', 30));
    const first = (await send('/late', 'a.jpg', await photo(60, 40, 91))).body;
    await server.call('PUT', `${api}/assets/${first.id}/content`, {
      body: new Uint8Array(await photo(60, 40, 92)),
      headers: { 'Content-Type': 'image/jpeg' },
    });
    await server.workUntilIdle();
    const stateOf = async () =>
      (await call('GET', `/assets/${first.id}`)).body.renditions.find(
        (one: { recipe: string }) => one.recipe === 'late',
      ).state;
    expect(await stateOf()).toBe('fresh');
    await inTransaction(server.db, (tx) =>
      recordFailures(tx, first.id, { sha256: first.sha256, reasons: new Map([['late', 'too late']]) }),
    );
    expect(await stateOf()).toBe('fresh');
    await expectWhole();
  });
});

test.skipIf(inject('homeBucket'))(
  "bytes that can't be kept stay staged and can be kept later; no file stays open",
  async () => {
    const { store } = server;
    const openFiles = async () => (await readdir('/proc/self/fd')).length;
    const before = await openFiles();
    for (const n of times(20)) {
      const staged = await store.stage(Readable.from([Buffer.from(`can't be kept ${n}`)]), {
        limitBytes: 1000,
      });
      const folder = join(server.config.dataDir, 'blobs', staged.sha256.slice(0, 2));
      await rename(folder, `${folder}.away`);
      await expect(staged.keep()).rejects.toMatchObject({ code: 'store-away' });
      await rename(`${folder}.away`, folder);
      if (n % 2) {
        await staged.keep();
        expect(await store.has(staged.sha256)).toBe(true);
        await rm(store.localPath(staged.sha256));
      }
      await staged.discard();
      await mkdir(folder, { recursive: true });
    }
    expect(await readdir(join(server.config.dataDir, 'staging'))).toEqual([]);
    expect((await openFiles()) - before).toBeLessThan(10);
  },
);
