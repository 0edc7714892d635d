import { afterAll, beforeAll, expect, test } from 'vitest';
import { api } from '../testing/calls.js';
import { recipe } from '../testing/derived.js';
import { form, photo, startTestServer, type TestServer } from '../testing/harness.js';

// RFC 9110, 8.8.2 and 13.1.3: a date never says that changed bytes are unchanged, however fast they changed.

let server: TestServer;
beforeAll(async () => {
  server = await startTestServer();
});
afterAll(async () => {
  await server.close();
});

const get = (url: string, headers: Record<string, string> = {}) =>
  server.call('GET', url.slice(server.url.length), { key: null, headers });
const urlOf = (path: string) => `${server.url}/media${path}`;
async function addFile(folder: string, name: string, data: Buffer): Promise<string> {
  return (await server.call('POST', `${api}/assets`, { body: form(folder, [{ name, data }]) })).body.id;
}
async function replace(id: string, data: Buffer, name: string): Promise<void> {
  const body = new FormData();
  body.append('file', new Blob([new Uint8Array(data)]), name);
  expect((await server.call('PUT', `${api}/assets/${id}/content`, { body })).status).toBe(200);
}
async function rebuild(): Promise<void> {
  await server.call('POST', `${api}/recipes/rebuild`, { json: { recipes: ['valid'], only: 'outdated' } });
  await server.workUntilIdle();
}
/** What a cache would send that knows only the date, or the date it stored the answer at. */
const since = (headers: Headers) => headers.get('last-modified') ?? headers.get('date') ?? '';

test('an original that is replaced again and again within a second is never unchanged', async () => {
  const id = await addFile('/valid', 'tide.txt', Buffer.from('0'));
  let seen = (await get(urlOf('/valid/tide.txt'))).headers;
  for (const n of [1, 2, 3, 4]) {
    await replace(id, Buffer.from(String(n)), 'tide.txt');
    const again = await get(urlOf('/valid/tide.txt'), { 'If-Modified-Since': since(seen) });
    expect([again.status, again.bytes.toString()]).toEqual([200, String(n)]);
    const ranged = await get(urlOf('/valid/tide.txt'), { Range: 'bytes=0-0', 'If-Range': since(seen) });
    expect(ranged.status).toBe(200);
    const date = Date.parse(again.headers.get('last-modified') ?? '');
    if (!Number.isNaN(date)) expect(date).toBeLessThanOrEqual(Date.parse(again.headers.get('date') ?? ''));
    seen = again.headers;
  }
});

test('texts that change after the bytes leave no earlier time', async () => {
  const id = await addFile('/valid', 'log.txt', Buffer.from('a'));
  const first = (await get(urlOf('/valid/log.txt'))).headers;
  await replace(id, Buffer.from('b'), 'log.txt');
  await server.call('PATCH', `${api}/assets/${id}`, { json: { title: 'Log' } });
  await server.call('DELETE', `${api}/assets/${id}`);
  await server.call('POST', `${api}/assets/${id}/restore`);
  expect((await get(urlOf('/valid/log.txt'), { 'If-Modified-Since': since(first) })).status).toBe(200);
});

test('a rendition has a time of its own: that of its bytes, not that of its original', async () => {
  const made = recipe('valid', '/pictures', 120);
  await server.call('POST', `${api}/recipes`, { json: made });
  const id = await addFile('/pictures', 'dusk.jpg', await photo(300, 200, 1));
  await server.workUntilIdle();
  const url = urlOf('/pictures/dusk~valid.jpg');
  // The bytes are made in the same second as everything else here.
  await server.db.query("UPDATE renditions SET made_at = '2026-01-05 08:00:00.250'");
  const first = await get(url);
  expect(first.headers.get('last-modified')).toBe('Mon, 05 Jan 2026 08:00:00 GMT');
  expect((await get(url, { 'If-Modified-Since': since(first.headers) })).status).toBe(304);
  // A text is none of its business.
  await server.call('PATCH', `${api}/assets/${id}`, { json: { title: 'Dusk' } });
  expect((await get(url)).headers.get('last-modified')).toBe('Mon, 05 Jan 2026 08:00:00 GMT');

  let seen = first.headers;
  for (const quality of [30, 90, 31]) {
    await server.call('PUT', `${api}/recipes/valid`, {
      json: { ...made, name: undefined, output: { format: 'jpeg', quality } },
    });
    await rebuild();
    const again = await get(url, { 'If-Modified-Since': since(seen) });
    expect(again.status).toBe(200);
    expect(again.headers.get('etag')).not.toBe(seen.get('etag'));
    seen = again.headers;
  }
  await replace(id, await photo(300, 200, 2), 'dusk.jpg');
  await rebuild();
  expect((await get(url, { 'If-Modified-Since': since(seen) })).status).toBe(200);
});

test('an entity tag decides, whatever the date says', async () => {
  await addFile('/valid', 'both.txt', Buffer.from('both'));
  const { headers } = await get(urlOf('/valid/both.txt'));
  const etag = headers.get('etag') ?? '';
  const late = 'Fri, 01 Jan 2038 00:00:00 GMT';
  expect(
    (await get(urlOf('/valid/both.txt'), { 'If-None-Match': '"other"', 'If-Modified-Since': late })).status,
  ).toBe(200);
  expect((await get(urlOf('/valid/both.txt'), { 'If-None-Match': etag })).status).toBe(304);
});

test('answers give addresses that name the bytes: these may be cached for ever, and lead to the new ones later', async () => {
  await server.call('POST', `${api}/recipes`, { json: recipe('named', '/named', 120) });
  const id = await addFile('/named', 'dusk.jpg', await photo(300, 200, 7));
  const other = await addFile('/named', 'notes.txt', Buffer.from('a'));
  await server.workUntilIdle();
  const asset = (await server.call('GET', `${api}/assets/${id}`)).body;
  const notes = (await server.call('GET', `${api}/assets/${other}`)).body;
  const { versionedUrl, url } = asset.renditions[0];
  expect(versionedUrl.startsWith(`${url}?v=`)).toBe(true);
  for (const address of [versionedUrl, notes.versionedUrl])
    expect((await get(address)).headers.get('cache-control')).toBe('public, max-age=31536000, immutable');
  expect((await get(notes.url)).headers.get('cache-control')).not.toContain('immutable');
  await replace(other, Buffer.from('b'), 'notes.txt');
  const later = await get(notes.versionedUrl);
  expect([later.bytes.toString(), later.headers.get('cache-control')]).toEqual([
    'b',
    expect.not.stringContaining('immutable'),
  ]);
});
