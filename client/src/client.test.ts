import { describe, expect, test } from 'vitest';
import { createClient } from './client.js';
import { isUniferumApiError, UniferumConnectionError } from './errors.js';

type Answer = { status?: number; body?: unknown; headers?: Record<string, string> } | Error;

/** A client whose server gives these answers, one after the other, and the requests that it got. */
function clientWith(...answers: Answer[]) {
  const requests: { url: string; method: string; headers: Headers; body: unknown }[] = [];
  const client = createClient({
    baseUrl: 'http://uniferum.example/',
    key: 'uf_secret',
    fetch: async (url, init) => {
      requests.push({
        url: String(url),
        method: init?.method ?? 'GET',
        headers: new Headers(init?.headers),
        body: init?.body,
      });
      const answer = answers[Math.min(requests.length, answers.length) - 1] ?? {};
      if (answer instanceof Error) throw answer;
      const { status = 200, body, headers = {} } = answer;
      return new Response(body === undefined ? null : JSON.stringify(body), { status, headers });
    },
  });
  return { client, requests };
}

const page = (ids: string[], next: string | null) => ({
  body: { items: ids.map((id) => ({ id })), total: 3, next },
});

describe('lists', () => {
  test('awaited give their first page', async () => {
    const { client, requests } = clientWith(page(['1', '2'], 'c'));
    const { items, total } = await client.assets.list({ folder: '/lights', deep: true, limit: 2 });
    expect([items.length, total]).toEqual([2, 3]);
    expect(requests[0]?.url).toBe('http://uniferum.example/api/v1/assets?folder=%2Flights&deep=true&limit=2');
    expect(requests[0]?.headers.get('authorization')).toBe('Bearer uf_secret');
  });

  test('iterated give all items, page after page', async () => {
    const { client, requests } = clientWith(page(['1', '2'], 'c'), page(['3'], null));
    const ids: string[] = [];
    for await (const { id } of client.assets.list()) ids.push(id);
    expect(ids).toEqual(['1', '2', '3']);
    expect(requests[1]?.url).toContain('cursor=c');
  });
});

describe('errors', () => {
  test('a problem becomes an error with its code', async () => {
    const { client } = clientWith({
      status: 409,
      body: { type: 'x', title: 'T', status: 409, detail: 'It exists already.', code: 'conflict' },
    });
    const error = await client.folders.make('/a').catch((thrown: unknown) => thrown);
    expect(isUniferumApiError(error) && [error.code, error.status, error.message]).toEqual([
      'conflict',
      409,
      'It exists already.',
    ]);
  });

  test('an answer that is no problem document is told as what it is', async () => {
    const { client } = clientWith({ status: 400, body: '<html>' });
    await expect(client.flow()).rejects.toMatchObject({ code: 'unexpected-answer', status: 400 });
  });

  test('a request that is still being worked on is waited for, however often that takes', async () => {
    const inProgress = { status: 409, headers: { 'Retry-After': '0' } };
    const { client, requests } = clientWith(...Array(7).fill(inProgress), { body: { id: '1' } });
    expect(await client.folders.make('/a')).toEqual({ id: '1' });
    expect(requests).toHaveLength(8);
    expect(new Set(requests.map(({ headers }) => headers.get('idempotency-key'))).size).toBe(1);
  });

  test('an upload whose connection fails, or that meets a busy server, is sent again under its key', async () => {
    const verdict = { name: 'a.txt', outcome: 'accepted', reasons: [] };
    const { client, requests } = clientWith(
      new TypeError('fetch failed'),
      { status: 503, headers: { 'Retry-After': '0' } },
      { status: 201, body: { id: '1', verdict } },
    );
    const [result] = await client.assets.upload({
      folder: '/a',
      files: [{ name: 'a.txt', data: new Blob(['a']) }],
    });
    expect(result?.asset?.id).toBe('1');
    expect(requests).toHaveLength(3);
    expect(new Set(requests.map(({ headers }) => headers.get('idempotency-key'))).size).toBe(1);
  });

  test('what is not safe to repeat is sent once', async () => {
    const { client, requests } = clientWith({ status: 503, headers: { 'Retry-After': '0' } });
    await expect(client.assets.replace('1', new Blob(['a']))).rejects.toMatchObject({
      status: 503,
    });
    expect(requests).toHaveLength(1);
  });

  test('a busy server is asked again, after the time that it names, under the same key', async () => {
    const { client, requests } = clientWith(
      { status: 503, headers: { 'Retry-After': '0' } },
      { body: { id: '1' } },
    );
    await client.folders.make('/a');
    expect(requests).toHaveLength(2);
    const keys = requests.map(({ headers }) => headers.get('idempotency-key'));
    expect(keys[0]).toMatch(/^[0-9a-f-]{36}$/);
    expect(keys[1]).toBe(keys[0]);
  });

  test('a connection that fails is tried again, and then said', async () => {
    const { client, requests } = clientWith(new TypeError('fetch failed'));
    await expect(client.flow()).rejects.toBeInstanceOf(UniferumConnectionError);
    expect(requests).toHaveLength(3);
  });

  test('a call that is given up stops with the reason', async () => {
    const { client } = clientWith(new TypeError('fetch failed'));
    await expect(client.flow({ signal: AbortSignal.abort('enough') })).rejects.toBe('enough');
  });
});

describe('uploads', () => {
  const verdict = { name: 'a.jpg', outcome: 'refused', reasons: [] };
  const files = [{ name: 'a.jpg', data: new Blob(['x']) }];

  test('a refused file is a result and not an error', async () => {
    const { client } = clientWith({
      status: 422,
      body: { type: 'x', title: 'T', status: 422, detail: 'No.', code: 'refused', verdict },
    });
    expect(await client.assets.upload({ folder: '/a', files })).toEqual([
      { name: 'a.jpg', verdict, asset: null },
    ]);
  });

  test('several files give a result each', async () => {
    const asset = { id: '1' };
    const { client } = clientWith({
      status: 207,
      body: {
        results: [
          { name: 'a', verdict, asset },
          { name: 'b', verdict },
        ],
      },
    });
    expect(
      (await client.assets.upload({ folder: '/a', files: [...files, ...files] })).map(
        (result) => result.asset,
      ),
    ).toEqual([asset, null]);
  });

  test('the folder goes before the files, and each upload has a key of its own', async () => {
    const { client, requests } = clientWith({ status: 201, body: { id: '1', verdict } });
    await client.assets.upload({ folder: '/a', files, keywords: ['sea', 'dusk'] });
    const form = requests[0]?.body as FormData;
    expect([...form.keys()]).toEqual(['folder', 'keywords', 'file']);
    expect(form.get('keywords')).toBe('sea,dusk');
    expect(requests[0]?.headers.get('idempotency-key')).toBeTruthy();
  });
});

test('waiting for a run ends when it does, and tells the progress meanwhile', async () => {
  const run = (state: string, done: number) => ({ body: { id: '7', state, done } });
  const { client } = clientWith(run('waiting', 0), run('working', 1), run('faulty', 2));
  const seen: number[] = [];
  const ended = await client.runs.wait('7', { pollMs: 1, onProgress: ({ done }) => seen.push(done) });
  expect([ended.state, seen]).toEqual(['faulty', [0, 1, 2]]);
});
