import { createHash } from 'node:crypto';
import { openAsBlob } from 'node:fs';
import { mkdtemp, readdir, rm, writeFile } from 'node:fs/promises';
import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Readable } from 'node:stream';
import {
  createClient,
  type FileProgress,
  isUniferumApiError,
  UniferumConnectionError,
  type UploadData,
} from '@uniferum/client';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { recipe } from '../../server/src/testing/derived.js';
import { photo, startTestServer, type TestServer } from '../../server/src/testing/harness.js';

// The client as a script uses it, against a real server.

let server: TestServer;
let uniferum: ReturnType<typeof createClient>;
let folder: string;
let site: Server;
let siteUrl: string;

beforeAll(async () => {
  folder = await mkdtemp(join(tmpdir(), 'uniferum-client-'));
  site = createServer((request, response) => {
    if (request.url?.endsWith('gone.txt')) response.writeHead(404);
    else response.setHeader('Content-Disposition', "attachment; filename*=UTF-8''t%C3%AFde.txt");
    response.end(`of a site: ${request.url}`);
  }).listen(0, '127.0.0.1');
  await new Promise((resolve) => site.once('listening', resolve));
  siteUrl = `http://127.0.0.1:${(site.address() as AddressInfo).port}`;
  server = await startTestServer({ env: { UNIFERUM_ALLOWED_HOSTS: '127.0.0.1' } });
  uniferum = createClient({ baseUrl: server.url, key: await server.key() });
});
afterAll(async () => {
  site.close();
  await rm(folder, { recursive: true, force: true });
  await server.close();
});

const left = async () => (await readdir(tmpdir())).filter((name) => name.startsWith('uniferum-upload-'));
const digest = (text: string) => createHash('sha256').update(text).digest('hex');

describe('an upload takes', () => {
  test.each<[string, () => UploadData | Promise<UploadData>, string | undefined, string, string]>([
    [
      'the path of a file',
      async () => {
        await writeFile(join(folder, 'on disk.txt'), 'on disk');
        return join(folder, 'on disk.txt');
      },
      undefined,
      'on disk.txt',
      'on disk',
    ],
    ['a buffer', () => Buffer.from('a buffer'), 'buffer.txt', 'buffer.txt', 'a buffer'],
    ['an array buffer', () => new TextEncoder().encode('bytes').buffer, 'bytes.txt', 'bytes.txt', 'bytes'],
    [
      'a stream of Node',
      () => Readable.from([Buffer.from('in '), Buffer.from('pieces')]),
      'node.txt',
      'node.txt',
      'in pieces',
    ],
    ['a stream of the web', () => new Blob(['of the web']).stream(), 'web.txt', 'web.txt', 'of the web'],
    ['a blob', () => new Blob(['a blob']), 'blob.txt', 'blob.txt', 'a blob'],
    ['a file', () => new File(['a file'], 'named.txt'), undefined, 'named.txt', 'a file'],
    ['an answer', () => fetch(`${siteUrl}/x`), undefined, 'tïde.txt', 'of a site: /x'],
    ['a data URI', () => 'data:text/plain,of%20a%20URI', 'uri.txt', 'uri.txt', 'of a URI'],
    [
      'an address',
      () => `${siteUrl}/news/tide.txt`,
      'fetched.txt',
      'fetched.txt',
      'of a site: /news/tide.txt',
    ],
    ['a URL', () => new URL(`${siteUrl}/news/url.txt`), 'url.txt', 'url.txt', 'of a site: /news/url.txt'],
  ])('%s', async (_what, make, name, expected, content) => {
    const data = await make();
    const [result] = await uniferum.assets.upload({
      folder: '/forms',
      title: 'Tides',
      files: [name === undefined ? data : { name, data }],
    });
    expect([result?.verdict.outcome, result?.asset?.name, result?.asset?.title]).toEqual([
      'accepted',
      expected,
      'Tides',
    ]);
    expect(result?.asset?.sha256).toBe(digest(content));
  });

  test('all of them together, in order, and leaves nothing behind', async () => {
    const results = await uniferum.assets.upload({
      folder: '/mixed',
      files: [
        { name: '1.txt', data: new Blob(['1']) },
        { name: '2.txt', data: 'data:text/plain,2', folder: '/mixed/below' },
        { name: '3.txt', data: Readable.from([Buffer.from('3')]) },
        { name: '4.txt', data: Buffer.from('4') },
      ],
    });
    expect(results.map(({ asset }) => [asset?.name, asset?.folder.path, asset?.bytes])).toEqual([
      ['1.txt', '/mixed', 1],
      ['2.txt', '/mixed/below', 1],
      ['3.txt', '/mixed', 1],
      ['4.txt', '/mixed', 1],
    ]);
    expect(await left()).toEqual([]);
  });

  test.each<[string, unknown, RegExp]>([
    ['data without a name', Buffer.from('x'), /Pass a name/],
    ['a path of nothing', '/no/such/file.txt', /can't be read/],
    ['a number', 7, /Only bytes, blobs, streams/],
    ['an object', { name: 'a.txt', data: {} }, /Only bytes, blobs, streams/],
  ])('but not %s', async (_what, file, message) => {
    await expect(uniferum.assets.upload({ folder: '/not', files: [file as UploadData] })).rejects.toThrow(
      message,
    );
  });

  test('but no answer that is an error, and leaves no file for those before it', async () => {
    const files = [
      { name: 'a.txt', data: Readable.from([Buffer.from('a')]) },
      await fetch(`${siteUrl}/gone.txt`),
    ];
    await expect(uniferum.assets.upload({ folder: '/not', files })).rejects.toThrow('returned status 404');
    expect(await left()).toEqual([]);
  });
});

test('progress is told for each file and for all together, up to exactly their sizes', async () => {
  const files = [3_000_000, 10, 500_000].map((bytes, n) => ({
    name: `${n}.txt`,
    data: new Blob(['x'.repeat(bytes)]),
  }));
  const told: FileProgress[] = [];
  const sums: number[] = [];
  await uniferum.assets.upload({
    ...{ folder: '/progress', files },
    onFileProgress: (progress) => told.push(progress),
    onProgress: (sent) => sums.push(sent),
  });
  for (const [index, { name, data }] of files.entries()) {
    const own = told.filter((one) => one.index === index).map(({ sentBytes }) => sentBytes);
    expect([name, own.at(-1)]).toEqual([name, data.size]);
    expect(own).toEqual([...own].sort((a, b) => a - b));
  }
  expect(told.filter(({ index }) => index === 0).length).toBeGreaterThan(2);
  expect(sums.at(-1)).toBe(3_500_010);
});

test('what was aborted before is never sent', async () => {
  const signal = AbortSignal.abort(new Error('changed my mind'));
  const files = [{ name: 'never.txt', data: new Blob(['never']) }];
  await expect(uniferum.assets.upload({ folder: '/aborted', files, signal })).rejects.toThrow(
    'changed my mind',
  );
  await expect(uniferum.assets.get({ path: '/aborted/never.txt' })).rejects.toMatchObject({ status: 404 });
});

describe('an asset', () => {
  test('is found by its path and by its digest', async () => {
    const [sent] = await uniferum.assets.upload({
      folder: '/places',
      files: [{ name: 'a "b" c.txt', data: Buffer.from('here') }],
    });
    const path = `/places/${sent?.asset?.name}`;
    expect((await uniferum.assets.get({ path })).id).toBe(sent?.asset?.id);
    expect((await uniferum.assets.get({ sha256: digest('here') })).id).toBe(sent?.asset?.id);
    for (const place of [
      { path: '/places/none.txt' },
      { path: '/nowhere/a.txt' },
      { sha256: digest('nothing') },
    ])
      await expect(uniferum.assets.get(place)).rejects.toSatisfy(
        (error) => isUniferumApiError(error) && error.status === 404,
      );
  });

  test('is put: created, then left alone, then replaced', async () => {
    const put = (text: string) => uniferum.assets.put('/put/tides.txt', Buffer.from(text));
    const [created, same, replaced] = [await put('low'), await put('low'), await put('high')];
    expect([created.action, same.action, replaced.action]).toEqual(['created', 'unchanged', 'replaced']);
    expect([created.asset.version, same.asset.version, replaced.asset.version]).toEqual([1, 1, 2]);
    expect(replaced.asset.url).toBe(created.asset.url);
    const streamed = await uniferum.assets.put('/put/tides.txt', Readable.from([Buffer.from('high')]));
    expect(streamed.action).toBe('unchanged');
    expect(await left()).toEqual([]);
  });

  test('is put once by two at the same time', async () => {
    const put = (text: string) => uniferum.assets.put('/race/a.txt', Buffer.from(text));
    for (let round = 0; round < 5; round += 1) {
      const results = await Promise.all(['x', 'x', 'y'].map((text) => put(`${text}${round}`)));
      expect(new Set(results.map(({ asset }) => asset.id)).size).toBe(1);
      await uniferum.assets.remove(results[0]?.asset.id as string);
    }
    await put('last');
    const { total } = await uniferum.call<{ total: number }>('GET', '/assets?folder=/race');
    expect(total).toBe(1);
  });

  test('is found again by the name that it was put by', async () => {
    const name = `a~b  ${'é'.normalize('NFD')}.txt`;
    const put = () => uniferum.assets.put(`named/${name}`, Buffer.from('named'));
    const [created, again] = [await put(), await put()];
    expect([created.action, again.action, again.asset.id]).toEqual([
      'created',
      'unchanged',
      created.asset.id,
    ]);
    expect((await uniferum.assets.get({ path: `named/${name}` })).id).toBe(created.asset.id);
    await expect(uniferum.assets.put('/named/', Buffer.from('x'))).rejects.toThrow('the path of a file');
    await expect(uniferum.assets.put('/named/a.txt', 'data:text/plain,x')).rejects.toThrow('Fetch it');
    expect((await uniferum.assets.put('top.txt', Buffer.from('top'))).asset.folder.path).toBe('/');
  });

  test('is not put where the address leads to another file', async () => {
    const { asset } = await uniferum.assets.put('/moved/a.txt', Buffer.from('a'));
    await uniferum.assets.change(asset.id, { folder: '/moved-to' });
    await expect(uniferum.assets.put('/moved/a.txt', Buffer.from('b'))).rejects.toMatchObject({
      status: 422,
      message: expect.stringContaining('is or was used by another file'),
    });
    const { total } = await uniferum.call<{ total: number }>('GET', '/assets?folder=/moved');
    expect(total).toBe(0);
  });

  test('is reused where a rule says so, which is not called created', async () => {
    await server.call('POST', '/api/v1/folders', { json: { path: '/reuse' } });
    const { items } = (await server.call('GET', '/api/v1/folders')).body;
    const { id } = items.find(({ path }: { path: string }) => path === '/reuse');
    await server.call('PUT', `/api/v1/folders/${id}/rules`, { json: { duplicates: 'reuse' } });
    const first = await uniferum.assets.put('/reuse/a~1.txt', Buffer.from('the same'));
    const second = await uniferum.assets.put('/reuse/b.txt', Buffer.from('the same'));
    expect([first.action, second.action]).toEqual(['created', 'reused']);
    expect([first.asset.name, second.asset.id]).toEqual(['a-1.txt', first.asset.id]);
  });

  test('that a rule refuses is not put', async () => {
    await server.call('POST', '/api/v1/folders', { json: { path: '/strict' } });
    const { items } = (await server.call('GET', '/api/v1/folders')).body;
    const { id } = items.find(({ path }: { path: string }) => path === '/strict');
    await server.call('PUT', `/api/v1/folders/${id}/rules`, { json: { deny: ['txt'] } });
    await expect(uniferum.assets.put('/strict/a.txt', Buffer.from('a'))).rejects.toMatchObject({
      status: 422,
      problem: { verdict: { outcome: 'refused' } },
    });
  });

  test('is replaced only in the state that was read', async () => {
    const { asset } = await uniferum.assets.put('/match/a.txt', Buffer.from('a'));
    const { etag } = await uniferum.assets.getTagged(asset.id);
    await uniferum.assets.change(asset.id, { title: 'Changed meanwhile' });
    const replacing = uniferum.assets.replace(asset.id, new Blob(['b']), { ifMatch: etag });
    await expect(replacing).rejects.toMatchObject({ status: 412 });
  });

  test('has its renditions after a wait, or says which are late', async () => {
    await uniferum.call('POST', '/recipes', recipe('waited', '/waited', 60));
    const data = await photo(200, 150);
    const { asset } = await uniferum.assets.put('/waited/a.jpg', data);
    await expect(uniferum.renditions.wait(asset, { timeoutMs: 50, pollMs: 10 })).rejects.toMatchObject({
      code: 'timeout',
      message: expect.stringContaining('waited of asset'),
    });
    const [made] = await Promise.all([
      uniferum.renditions.wait(asset.id, { pollMs: 20 }),
      server.workUntilIdle(),
    ]);
    expect(made.map(({ recipe: name, state }) => [name, state])).toEqual([['waited', 'fresh']]);
  });
});

test('events are given one by one, and go on after a lost connection without a gap', async () => {
  const stop = new AbortController();
  const lines: AbortController[] = [];
  const flaky = createClient({
    baseUrl: server.url,
    key: await server.key(),
    fetch: (url, init) => {
      if (!String(url).endsWith('/events')) return fetch(url, init);
      const line = new AbortController();
      lines.push(line);
      return fetch(url, {
        ...init,
        signal: AbortSignal.any([line.signal, ...(init?.signal ? [init.signal] : [])]),
      });
    },
  });
  const names: string[] = [];
  const listening = (async () => {
    for await (const { data } of flaky.events({ types: ['asset.created'], signal: stop.signal })) {
      const { name } = await uniferum.assets.get(String(data.id ?? (data.asset as { id?: string })?.id));
      names.push(name);
      if (names.length === 3) lines.at(-1)?.abort();
      if (names.length === 6) stop.abort(new Error('enough'));
    }
  })();
  // Looked at in the end.
  listening.catch(() => {});
  await expect.poll(() => lines.length).toBe(1);
  // The stream begins with what happens after it was opened.
  for (let n = 0; n < 200 && names.length === 0; n += 1)
    await uniferum.assets.put(`/events/first-${n}.txt`, Buffer.from(`${n}`));
  const begun = names.length;
  for (let n = begun; n < 7; n += 1) await uniferum.assets.put(`/events/${n}.txt`, Buffer.from(`e${n}`));
  await expect(listening).rejects.toThrow('enough');
  expect(new Set(names).size).toBe(6);
});

describe('errors say why there is no answer', () => {
  test('nobody listens', async () => {
    const away = createClient({ baseUrl: 'http://127.0.0.1:9', retries: 0 });
    const error = await away.session.me().catch((thrown) => thrown);
    expect(error).toBeInstanceOf(UniferumConnectionError);
    expect([error.code, error.message]).toEqual([
      'unreachable',
      expect.stringContaining('http://127.0.0.1:9 could not be reached'),
    ]);
  });

  test('it takes too long', async () => {
    const never = createServer(() => {}).listen(0, '127.0.0.1');
    await new Promise((resolve) => never.once('listening', resolve));
    const slow = createClient({
      baseUrl: `http://127.0.0.1:${(never.address() as AddressInfo).port}`,
      timeoutMs: 50,
      retries: 0,
    });
    await expect(slow.session.me()).rejects.toMatchObject({
      code: 'timeout',
      message: expect.stringContaining('0.05 s'),
    });
    never.closeAllConnections();
    never.close();
  });

  test('nobody said where the server is', async () => {
    await expect(createClient({ key: 'x' }).session.me()).rejects.toMatchObject({ code: 'no-base-url' });
  });

  test('it was aborted: by the reason that was given', async () => {
    const signal = AbortSignal.abort();
    await expect(uniferum.session.me({ signal })).rejects.toMatchObject({ name: 'AbortError' });
  });
});

test('a blob from disk is still one', async () => {
  await writeFile(join(folder, 'blob.txt'), 'from disk');
  const [sent] = await uniferum.assets.upload({
    folder: '/blobs',
    files: [{ name: 'b.txt', data: await openAsBlob(join(folder, 'blob.txt')) }],
  });
  expect(sent?.asset?.bytes).toBe(9);
});
