import { mkdir, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { afterAll, beforeAll, expect, test } from 'vitest';
import { api } from '../testing/calls.js';
import { startTestServer, type TestServer } from '../testing/harness.js';

// How a batch is divided into the items of its run, and what they are called in the list of runs.

let server: TestServer;
beforeAll(async () => {
  server = await startTestServer();
});
afterAll(() => server.close());

async function titlesOf(path: string, json: object): Promise<string[]> {
  const { status, body } = await server.call('POST', `${api}/${path}`, { json });
  expect(status, JSON.stringify(body)).toBe(202);
  const { items } = (await server.call('GET', `${api}/runs/${body.run.id}/items?limit=500`)).body;
  return items.map(({ title }: { title: string }) => title);
}
const addresses = (...names: string[]) => ({
  folder: '/news',
  addresses: names.map((name) => `data:,${name}`),
});

test.each([
  [['fog'], 'data:,fog'],
  [['a', 'b', 'c'], 'data:,a, data:,b, data:,c'],
  [['a', 'b', 'c', 'd'], 'data:,a, data:,b, data:,c and 1 more'],
  [['x'.repeat(100), 'b'], `data:,${'x'.repeat(74)}, data:,b`],
])('an item is called like its first three files: %#', async (names, title) => {
  expect(await titlesOf('intake/addresses', addresses(...names))).toEqual([title]);
});

test('files of the inbox and rows of a manifest are called by their names, where they have one', async () => {
  await mkdir(join(server.inbox, 'night'), { recursive: true });
  for (const name of ['night/a.txt', 'night/b.txt']) await writeFile(join(server.inbox, name), name);
  expect(await titlesOf('inbox/register', { folder: '/night' })).toEqual(['a.txt, b.txt']);
  const content = 'path,name\n"data:,one",first.txt\n"data:,two",\n';
  expect(await titlesOf('intake/manifest', { content })).toEqual(['first.txt, data:,two']);
});

test('files that are fetched over a network make smaller items than local ones', async () => {
  const rows = (address: string) =>
    `path,name\n${Array.from({ length: 40 }, (_, n) => `"${address}${n}",${n}.txt`).join('\n')}\n`;
  const local = await titlesOf('intake/manifest', { content: rows('data:,') });
  const remote = await titlesOf('intake/manifest', { content: rows('https://skerry.example/') });
  expect([local.length, remote.length]).toEqual([1, 10]);
  expect([local[0], remote[0]]).toEqual([
    '0.txt, 1.txt, 2.txt and 37 more',
    '0.txt, 1.txt, 2.txt and 1 more',
  ]);
  expect(remote[1]).toBe('4.txt, 5.txt, 6.txt and 1 more');
});
