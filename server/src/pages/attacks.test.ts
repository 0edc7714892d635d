import { type ChildProcess, fork } from 'node:child_process';
import { mkdir, mkdtemp, readFile, rename, rm, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { afterEach, beforeEach, expect, test } from 'vitest';
import { select, selectOne } from '../shared/database.js';
import { api } from '../testing/calls.js';
import { eventually, form, startTestServer, type TestServer } from '../testing/harness.js';

// What must hold whatever ends in the middle: every document is indexed once, and the uses are those of the references.

let folder: string;
let server: TestServer;
const workers: ChildProcess[] = [];
beforeEach(async () => {
  folder = await mkdtemp(join(tmpdir(), 'uniferum-attacks-'));
  server = await startTestServer({
    env: { UNIFERUM_SOURCE_DIRS: folder, UNIFERUM_LEASE_MS: '1500' },
  });
});
afterEach(async () => {
  for (const worker of workers.splice(0)) worker.kill('SIGKILL');
  await server.close();
  await rm(folder, { recursive: true, force: true });
});

const DOCUMENTS = 400;
const site = () => join(folder, 'site');

function startWorker(): ChildProcess {
  const entry = fileURLToPath(new URL('../../dist/worker-main.js', import.meta.url));
  const worker = fork(entry, { env: { ...process.env, ...server.env }, stdio: 'ignore' });
  workers.push(worker);
  return worker;
}

async function sendFile(): Promise<string> {
  const files = [{ name: 'a.txt', data: Buffer.from('a') }];
  return (await server.call('POST', `${api}/assets`, { body: form('/used', files) })).body.id;
}
async function writeSite(documents = DOCUMENTS): Promise<void> {
  await mkdir(site(), { recursive: true });
  for (let n = 0; n < documents; n += 1)
    await writeFile(
      join(site(), `${n}.html`),
      `<a href="/media/used/a.txt"><img src="/media/used/missing-${n}.jpg">`,
    );
}
const addSource = async () =>
  (await server.call('POST', `${api}/sources`, { json: { name: 'Site', settings: { path: site() } } })).body
    .id;
const beginIndex = (source: string) => server.call('POST', `${api}/sources/${source}/index`);
const readRun = async (id: string) => (await server.call('GET', `${api}/runs/${id}`)).body;
const untilEnded = (id: string) =>
  eventually(async () => ['done', 'faulty', 'failed'].includes((await readRun(id)).state));

/** Holds what is stored against itself. */
async function expectSound(documents: number): Promise<void> {
  const count = async (sql: string) => (await selectOne<{ n: number }>(server.db, sql))?.n;
  expect(await count('SELECT COUNT(*) AS n FROM page_documents')).toBe(documents);
  expect(await count('SELECT COUNT(DISTINCT path) AS n FROM page_documents')).toBe(documents);
  expect(await count('SELECT COUNT(*) AS n FROM page_references')).toBe(2 * documents);
  expect(
    await count(
      'SELECT COUNT(*) AS n FROM page_references WHERE NOT EXISTS (SELECT 1 FROM page_documents WHERE page_documents.id = document_id)',
    ),
  ).toBe(0);
  const uses = await select<{ asset_id: number; uses: number }>(
    server.db,
    'SELECT asset_id, uses FROM asset_uses WHERE uses > 0 ORDER BY asset_id',
  );
  const stored = await select<{ asset_id: number; uses: number }>(
    server.db,
    'SELECT asset_id, COUNT(*) AS uses FROM page_references WHERE asset_id IS NOT NULL GROUP BY asset_id ORDER BY asset_id',
  );
  expect(uses).toEqual(stored);
}

test('kill -9 of the worker half-way: another one ends it, and every document is indexed once', async () => {
  const asset = await sendFile();
  await writeSite();
  const { run } = (await beginIndex(await addSource())).body;
  for (const share of [0.1, 0.4]) {
    const worker = startWorker();
    await eventually(async () => (await readRun(run.id)).done >= DOCUMENTS * share);
    worker.kill('SIGKILL');
    await new Promise((resolve) => worker.once('exit', resolve));
  }
  startWorker();
  await untilEnded(run.id);
  expect(await readRun(run.id)).toMatchObject({
    state: 'done',
    total: DOCUMENTS,
    done: DOCUMENTS,
    failed: 0,
  });
  await expectSound(DOCUMENTS);
  expect((await server.call('GET', `${api}/assets/${asset}`)).body.uses).toBe(DOCUMENTS);
});

test('kill -9 while documents are rewritten, and while that is undone: every document is whole, and none is lost', async () => {
  const documents = 200;
  await writeSite(documents);
  const settings = { path: site(), writable: true };
  const source = (await server.call('POST', `${api}/sources`, { json: { name: 'Site', settings } })).body.id;
  await beginIndex(source);
  await server.workUntilIdle();
  const read = () =>
    Promise.all(Array.from({ length: documents }, (_, n) => readFile(join(site(), `${n}.html`), 'utf8')));
  const before = await read();
  const after = before.map((text) => text.replace('/media/used/a.txt', '/media/moved/a.txt'));
  const endWithKills = async (id: string) => {
    for (const share of [0.1, 0.5]) {
      const worker = startWorker();
      await eventually(async () => (await readRun(id)).done >= documents * share);
      worker.kill('SIGKILL');
      await new Promise((resolve) => worker.once('exit', resolve));
      for (const [n, text] of (await read()).entries()) expect([before[n], after[n]]).toContain(text);
    }
    startWorker();
    await untilEnded(id);
    expect(await readRun(id)).toMatchObject({ state: 'done', done: documents, failed: 0 });
  };
  const map = [{ from: '/media/used/a.txt', to: '/media/moved/a.txt' }];
  const { run } = (await server.call('POST', `${api}/rewrites`, { json: { sources: [source], map } })).body;
  await endWithKills(run.id);
  expect(await read()).toEqual(after);
  const undo = (await server.call('POST', `${api}/runs/${run.id}/undo`)).body.run;
  await endWithKills(undo.id);
  expect(await read()).toEqual(before);
  await expectSound(documents);
});

test('two runs at once, of two workers, while documents change, end in what is there', async () => {
  await sendFile();
  await writeSite(200);
  const source = await addSource();
  const runs = [(await beginIndex(source)).body.run.id, (await beginIndex(source)).body.run.id];
  startWorker();
  startWorker();
  await eventually(async () => (await readRun(runs[0])).done > 0);
  for (let n = 0; n < 200; n += 20)
    await writeFile(join(site(), `${n}.html`), '<a href="/media/used/a.txt"><a href="/media/used/b.txt">');
  for (const id of runs) await untilEnded(id);
  const last = (await beginIndex(source)).body.run.id;
  await untilEnded(last);
  await expectSound(200);
  expect((await readRun((await beginIndex(source)).body.run.id)).total).toBe(0);
});

test('a source that is deleted while it is indexed leaves nothing', async () => {
  await sendFile();
  await writeSite();
  const source = await addSource();
  const { run } = (await beginIndex(source)).body;
  startWorker();
  await eventually(async () => (await readRun(run.id)).done > 0);
  expect((await server.call('DELETE', `${api}/sources/${source}`)).status).toBe(204);
  await untilEnded(run.id);
  await expectSound(0);
});

test('a folder that goes away is said, and forgets nothing; nor does one that is suddenly empty', async () => {
  const asset = await sendFile();
  await writeSite(50);
  const source = await addSource();
  await beginIndex(source);
  await server.workUntilIdle();
  await writeFile(join(site(), '1.html'), 'changed');
  const { run } = (await beginIndex(source)).body;
  await rename(site(), join(folder, 'away'));
  await server.workUntilIdle();
  expect(await readRun(run.id)).toMatchObject({ state: 'faulty' });
  const { items } = (await server.call('GET', `${api}/runs/${run.id}/items`)).body;
  expect(items[0].error).toContain('Check that it exists and is mounted');
  const missing = await beginIndex(source);
  expect([missing.status, missing.body.detail]).toEqual([409, expect.stringContaining('(ENOENT)')]);
  await mkdir(site());
  const empty = await beginIndex(source);
  expect([empty.status, empty.body.detail]).toEqual([409, expect.stringContaining('50 were indexed before')]);
  expect((await server.call('GET', `${api}/assets/${asset}`)).body.uses).toBe(50);
  await expectSound(50);
});
