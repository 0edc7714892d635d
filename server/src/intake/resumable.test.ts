import { readdir } from 'node:fs/promises';
import { FileStore } from '@tus/file-store';
import * as tus from 'tus-js-client';
import { afterAll, beforeAll, describe, expect, test, vi } from 'vitest';
import { api, bytes, callsOf, codes } from '../testing/calls.js';
import { startTestServer, type TestServer } from '../testing/harness.js';
import { deleteOldUploads } from './upload-queries.js';

let server: TestServer;
beforeAll(async () => {
  server = await startTestServer();
});
afterAll(async () => {
  await server.close();
});
const { assetsOf, setRules } = callsOf(() => server);

describe('a resumable upload', () => {
  test('goes on where it broke off, says an independent client', async () => {
    const data = Buffer.alloc(3_000_000, 'fog over the sound ');
    const key = await server.key();
    const options = {
      endpoint: `${server.url}${api}/uploads`,
      headers: { Authorization: `Bearer ${key}` },
      metadata: { filename: 'long.txt', folder: '/tus', alt: 'Fog' },
      chunkSize: 1_000_000,
      retryDelays: null,
    };
    const url = await new Promise<string>((resolve, reject) => {
      const upload = new tus.Upload(data, {
        ...options,
        onError: reject,
        onChunkComplete: () => {
          void upload.abort().then(() => resolve(upload.url ?? ''));
        },
      });
      upload.start();
    });
    const sent: number[] = [];
    await new Promise<void>((resolve, reject) => {
      new tus.Upload(data, {
        ...options,
        uploadUrl: url,
        onError: reject,
        onProgress: (bytesSent) => sent.push(bytesSent),
        onSuccess: () => resolve(),
      }).start();
    });
    expect(Math.min(...sent)).toBeGreaterThanOrEqual(1_000_000);
    const id = url.split('/').at(-1);
    const result = (await server.call('GET', `${api}/uploads/${id}/result`, { key })).body;
    expect(result.verdict.outcome).toBe('accepted');
    const asset = (await server.call('GET', `${api}/assets/${result.asset}`)).body;
    expect([asset.bytes, asset.alt, asset.folder.path]).toEqual([data.length, 'Fog', '/tus']);
    const foreign = await server.call('HEAD', `${api}/uploads/${id}`);
    expect(foreign.status).toBe(404);
  });

  test.each([
    ['full', 507, 'Resume when there is space'],
    ['failing', 503, "can't be written right now"],
    ['ok', 500, ''],
  ] as const)(
    'into a store that is %s ends with %i, and goes on afterwards',
    async (state, status, reason) => {
      const key = await server.key();
      const head = { 'Tus-Resumable': '1.0.0', Authorization: `Bearer ${key}` };
      const name = Buffer.from(`${state}.txt`).toString('base64');
      const created = await fetch(`${server.url}${api}/uploads`, {
        method: 'POST',
        headers: { ...head, 'Upload-Length': '3', 'Upload-Metadata': `filename ${name}` },
      });
      const url = created.headers.get('location') ?? '';
      const send = () =>
        fetch(url, {
          method: 'PATCH',
          headers: { ...head, 'Upload-Offset': '0', 'Content-Type': 'application/offset+octet-stream' },
          body: 'fog',
        });
      vi.spyOn(FileStore.prototype, 'write').mockRejectedValueOnce(new Error('it broke'));
      vi.spyOn(server.store, 'check').mockResolvedValueOnce(state);
      const refused = await send();
      expect([refused.status, await refused.text()]).toEqual([status, expect.stringContaining(reason)]);
      expect((await send()).status).toBe(204);
    },
  );

  const begin = (headers: Record<string, string> = {}) =>
    server.call('POST', `${api}/uploads`, {
      headers: {
        'Tus-Resumable': '1.0.0',
        'Upload-Length': '5',
        'Upload-Metadata': `filename ${Buffer.from('short.txt').toString('base64')}`,
        ...headers,
      },
    });

  test('says what the server can do, to anybody', async () => {
    const answer = await fetch(`${server.url}${api}/uploads`, { method: 'OPTIONS' });
    expect(answer.status).toBe(204);
    expect(answer.headers.get('tus-version')).toBe('1.0.0');
    expect(answer.headers.get('tus-extension')?.split(',')).toEqual(
      expect.arrayContaining(['creation', 'termination', 'expiration']),
    );
  });

  test('is begun afresh each time, whatever idempotency key comes along', async () => {
    const key = { 'Idempotency-Key': 'again-and-again' };
    const [first, second] = [await begin(key), await begin(key)];
    expect([first.status, second.status]).toEqual([201, 201]);
    expect(first.headers.get('location')).toContain(`${api}/uploads/`);
    expect(second.headers.get('location')).not.toBe(first.headers.get('location'));
  });

  test('begins with a token where its size is allowed, or not said yet', async () => {
    const { token } = (
      await server.call('POST', `${api}/upload-tokens`, { json: { folder: '/tus', maxBytes: 10 } })
    ).body;
    const metadata = `filename ${Buffer.from('a.txt').toString('base64')},folder ${Buffer.from('/tus').toString('base64')}`;
    const begin = async (size: Record<string, string>) =>
      (
        await fetch(`${server.url}${api}/uploads`, {
          method: 'POST',
          headers: {
            ...{ Authorization: `Bearer ${token}`, 'Tus-Resumable': '1.0.0', 'Upload-Metadata': metadata },
            ...size,
          },
        })
      ).status;
    expect([
      await begin({ 'Upload-Length': '10' }),
      await begin({ 'Upload-Length': '11' }),
      await begin({ 'Upload-Defer-Length': '1' }),
    ]).toEqual([201, 413, 201]);
  });

  test('that is cancelled is gone', async () => {
    const url = (await begin()).headers.get('location') ?? '';
    const path = new URL(url).pathname;
    const headers = { 'Tus-Resumable': '1.0.0' };
    expect((await server.call('HEAD', path, { headers })).status).toBe(200);
    const stranger = await server.key();
    expect((await server.call('DELETE', path, { headers, key: stranger })).status).toBe(404);
    expect((await server.call('HEAD', path, { headers })).status).toBe(200);
    expect((await server.call('DELETE', path, { headers })).status).toBe(204);
    expect([404, 410]).toContain((await server.call('HEAD', path, { headers })).status);
    const result = await server.call('GET', `${path}/result`);
    expect([result.status, result.body.detail]).toEqual([404, expect.stringContaining('Start it again')]);
  });

  test('that arrived whole and could not be taken in is kept, and taken in when its result is asked for', async () => {
    vi.spyOn(server.store, 'importLocalFile').mockRejectedValueOnce(new Error('the disk is full'));
    const key = await server.key();
    const url = await new Promise<string>((resolve, reject) => {
      const upload = new tus.Upload(bytes('late, and not lost'), {
        endpoint: `${server.url}${api}/uploads`,
        headers: { Authorization: `Bearer ${key}` },
        metadata: { filename: 'late.txt', folder: '/tus-late' },
        retryDelays: [0],
        onError: reject,
        onSuccess: () => resolve(upload.url ?? ''),
      });
      upload.start();
    });
    const id = url.split('/').at(-1) as string;
    expect(await assetsOf('/tus-late')).toEqual([]);
    const results = await Promise.all(
      [1, 2].map(() => server.call('GET', `${api}/uploads/${id}/result`, { key })),
    );
    // While one takes it in, the other is told to ask again in a moment.
    for (const { status, headers } of results)
      expect([status, headers.has('retry-after')]).toEqual(status === 200 ? [200, false] : [409, true]);
    const again = (await server.call('GET', `${api}/uploads/${id}/result`, { key })).body;
    for (const { status, body } of results) if (status === 200) expect(body).toEqual(again);
    const content = await server.call('GET', `${api}/assets/${again.asset}/content`);
    expect(content.bytes.toString()).toBe('late, and not lost');
    expect(await assetsOf('/tus-late')).toHaveLength(1);
    expect((await readdir(server.store.arrivals())).filter((name) => name.startsWith(id))).toEqual([]);
  });

  test('that the rules refuse has its verdict, and leaves nothing', async () => {
    await setRules('/tus-strict', { maxBytes: 10 });
    const key = await server.key();
    const upload = await new Promise<tus.Upload>((resolve, reject) => {
      const one = new tus.Upload(Buffer.alloc(100), {
        endpoint: `${server.url}${api}/uploads`,
        headers: { Authorization: `Bearer ${key}` },
        metadata: { filename: 'a.txt', folder: '/tus-strict' },
        retryDelays: null,
        onError: reject,
        onSuccess: () => resolve(one),
      });
      one.start();
    });
    const id = upload.url?.split('/').at(-1);
    expect(codes((await server.call('GET', `${api}/uploads/${id}/result`, { key })).body.verdict)).toBe(
      'too-large',
    );
    expect(await assetsOf('/tus-strict')).toEqual([]);
  });

  test('is no longer recorded after 30 days, unless it is just being finished', async () => {
    const ages = { young: 29, old: 31, finishing: 31 };
    for (const [id, days] of Object.entries(ages))
      await server.db.query(
        `INSERT INTO uploads (id, principal, created_at, lease_until)
         VALUES (?, 'key:0', NOW(3) - INTERVAL ? DAY, IF(? = 'finishing', NOW(3) + INTERVAL 1 HOUR, NULL))`,
        [id, days, id],
      );
    await server.db.query(
      "INSERT INTO upload_locks (id, token, lease_until) VALUES ('old', 'x', NOW(3) - INTERVAL 2 DAY), ('young', 'x', NOW(3))",
    );
    expect(await deleteOldUploads(server.db)).toBe(1);
    const [rows] = await server.db.query("SELECT id FROM uploads WHERE principal = 'key:0' ORDER BY id");
    expect((rows as { id: string }[]).map(({ id }) => id)).toEqual(['finishing', 'young']);
    const [locks] = await server.db.query("SELECT id FROM upload_locks WHERE token = 'x'");
    expect((locks as { id: string }[]).map(({ id }) => id)).toEqual(['young']);
  });

  describe('as plain requests of the protocol', () => {
    const TUS = { 'Tus-Resumable': '1.0.0' };
    const metadata = (values: Record<string, string>) =>
      Object.entries(values)
        .map(([name, value]) => `${name} ${Buffer.from(value).toString('base64')}`)
        .join(',');
    const begin = async (values: Record<string, string>, key: string, length = 6) =>
      server.call('POST', `${api}/uploads`, {
        key,
        headers: { ...TUS, 'Upload-Length': String(length), 'Upload-Metadata': metadata(values) },
      });
    const idOf = (location: string | null) => location?.split('/').at(-1);

    test('has no result while pieces are missing, and one once they have come', async () => {
      const key = await server.key();
      const { headers } = await begin({ filename: 'half.txt', folder: '/pieces' }, key);
      const id = idOf(headers.get('location'));
      const piece = (offset: number, text: string) =>
        server.call('PATCH', `${api}/uploads/${id}`, {
          key,
          body: text,
          headers: {
            ...TUS,
            'Upload-Offset': String(offset),
            'Content-Type': 'application/offset+octet-stream',
          },
        });
      await piece(0, 'fog');
      const early = await server.call('GET', `${api}/uploads/${id}/result`, { key });
      expect(early.status).toBe(409);
      expect(await assetsOf('/pieces')).toEqual([]);
      await piece(3, 'sea');
      const late = await server.call('GET', `${api}/uploads/${id}/result`, { key });
      expect([late.status, late.body.verdict.outcome]).toEqual([200, 'accepted']);
    });

    test('must keep its name where that is asked for', async () => {
      const key = await server.key();
      for (const outcome of ['accepted', 'refused']) {
        const { headers } = await begin(
          { filename: 'kept.txt', folder: '/tus-kept', rename: 'false' },
          key,
          3,
        );
        const id = idOf(headers.get('location'));
        await server.call('PATCH', `${api}/uploads/${id}`, {
          ...{ key, body: outcome.slice(0, 3) },
          headers: { ...TUS, 'Upload-Offset': '0', 'Content-Type': 'application/offset+octet-stream' },
        });
        const { body } = await server.call('GET', `${api}/uploads/${id}/result`, { key });
        expect(body.verdict.outcome).toBe(outcome);
      }
      expect(await assetsOf('/tus-kept')).toHaveLength(1);
    });

    test('an upload that nobody began has no result', async () => {
      const key = await server.key();
      const answer = await server.call('GET', `${api}/uploads/${'0'.repeat(32)}/result`, { key });
      expect(answer.status).toBe(404);
    });

    test.each([
      [{ folder: '/pieces' }, /needs a filename/],
      [{ filename: 'a.txt', folder: '/a/../b' }, /folder is invalid/],
    ])('%j is refused before a byte is sent', async (values, message) => {
      const answer = await begin(values as Record<string, string>, await server.key());
      expect(answer.status).toBe(400);
      expect(answer.bytes.toString()).toMatch(message);
    });
  });
});
