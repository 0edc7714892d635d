import { mkdir, mkdtemp, readFile, rm, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, expect, test } from 'vitest';
import { followLibrary } from '../copies/follow-library.js';
import { eventually } from '../testing/harness.js';
import { openPlaced, type Placed } from '../testing/placed.js';
import { killProcess, startWorkerProcess } from '../testing/worker-process.js';
import { followCopies } from './follow-copies.js';

// Whenever a worker dies: no page is half-written, no page leads to an object that isn't there, and in the end all are right.

const FILES = 30;
const KILLS = 2;

let allowed: string;
let placed: Placed;
let base: string;
beforeAll(async () => {
  allowed = await mkdtemp(join(tmpdir(), 'uniferum-killed-'));
  placed = await openPlaced({ UNIFERUM_SOURCE_DIRS: allowed });
  base = `${placed.bucket.endpoint}/open`;
  await placed.addStore('open', { bucket: 'open', publicUrl: base });
});
afterAll(async () => {
  await placed.close();
  await rm(allowed, { recursive: true, force: true });
});

const startWorker = () => startWorkerProcess(placed.server);

const isIdle = async () => {
  const { items } = await placed.api('GET', '/runs?limit=50');
  return items.every(({ state }: { state: string }) => !['waiting', 'working', 'stopping'].includes(state));
};
const pageOf = (n: number) => join(allowed, 'site', `${n}.html`);
const before = (n: number) =>
  `<p>Page ${n}</p>\n<a href="/media/led/${n}.txt">${'x'.repeat(3000)}</a>\n<p>End</p>`;

test('pages follow their files into a store', async () => {
  await mkdir(join(allowed, 'site'), { recursive: true });
  const assets: string[] = [];
  for (let n = 0; n < FILES; n += 1) {
    assets.push((await placed.addFile('/led', `${n}.txt`, `File ${n}`)).id);
    await writeFile(pageOf(n), before(n));
  }
  const settings = { path: join(allowed, 'site'), url: 'https://site.example/', writable: true };
  const source = await placed.api('POST', '/sources', { kind: 'folder', name: 'Site', settings });
  await placed.api('POST', `/sources/${source.id}/index`);
  await placed.server.workUntilIdle();
  await placed.place('/led', { stores: ['open'], serveFrom: 'open', rewritePages: true });

  let rewritten = 0;
  const check = async () => {
    rewritten = 0;
    for (let n = 0; n < FILES; n += 1) {
      const text = await readFile(pageOf(n), 'utf8');
      const [, address = ''] = /href="([^"]*)"/.exec(text) ?? [];
      expect(text).toBe(before(n).replace(`/media/led/${n}.txt`, address));
      if (address.startsWith('/media/')) continue;
      rewritten += 1;
      expect(await (await fetch(address)).text(), address).toBe(`File ${n}`);
    }
    return rewritten;
  };
  for (let round = 0; round < KILLS; round += 1) {
    const worker = await startWorker();
    const at = await check();
    await eventually(async () => {
      await followCopies(placed.server.db);
      return (await check()) > at + 2 || (await isIdle());
    });
    await killProcess(worker);
    await check();
  }
  const worker = await startWorker();
  await eventually(async () => {
    await followLibrary(placed.server.db);
    await followCopies(placed.server.db);
    return (await check()) === FILES && (await isIdle());
  });
  await killProcess(worker);
  // What was written is known, whoever wrote it and died.
  for (const id of assets) {
    const { items } = await placed.api('GET', `/assets/${id}/uses`);
    expect(items.map(({ address }: { address: string }) => address.startsWith(base))).toEqual([true]);
  }
});

test('site assets are placed as a whole', async () => {
  const look = join(allowed, 'look');
  await mkdir(look, { recursive: true });
  for (let n = 0; n < FILES; n += 1)
    await writeFile(join(look, `${n}.css`), `a${n}{background:url(/look/fog.svg)}`);
  await writeFile(join(look, 'fog.svg'), '<svg xmlns="http://www.w3.org/2000/svg"/>');
  await writeFile(join(allowed, 'site', 'styled.html'), '<link rel="stylesheet" href="/look/0.css">');
  const [source] = (await placed.api('GET', '/sources')).items.filter(
    ({ kind }: { kind: string }) => kind === 'folder',
  );
  await placed.api('POST', `/sources/${source.id}/index`);
  await placed.server.workUntilIdle();
  const assets = { name: 'Look', folder: look, url: 'https://site.example/look/', store: 'open' };
  const { id } = await placed.api('POST', '/site-assets', { ...assets, rewritePages: true });
  await placed.bucket.setFaults([{ kind: 'slow', method: 'PUT', waitMs: 30 }]);
  await placed.api('POST', `/site-assets/${id}/place`);
  const storedIn = async () => {
    const store = placed.bucket.store({ bucket: 'open', prefix: 'open/' });
    let found = 0;
    for await (const page of store.list({ prefix: 'site-assets/' })) found += page.length;
    store.close();
    return found;
  };
  for (let round = 0; round < 2; round += 1) {
    const worker = await startWorker();
    const at = await storedIn();
    await eventually(async () => (await storedIn()) > at + 3 || (await isIdle()));
    await killProcess(worker);
    // Pages wait for the last file.
    if ((await storedIn()) < FILES + 1)
      expect(await readFile(join(allowed, 'site', 'styled.html'), 'utf8')).toContain('"/look/0.css"');
  }
  await placed.bucket.setFaults([]);
  const worker = await startWorker();
  await eventually(isIdle);
  await killProcess(worker);
  const { releaseUrl } = await placed.api('GET', `/site-assets/${id}`);
  expect(await readFile(join(allowed, 'site', 'styled.html'), 'utf8')).toContain(`"${releaseUrl}0.css"`);
  for (let n = 0; n < FILES; n += 1)
    expect(await (await fetch(`${releaseUrl}${n}.css`)).text()).toBe(`a${n}{background:url(fog.svg)}`);
});
