import { describe, expect, test } from 'vitest';
import { createClient } from './client.js';

const BASE = 'http://uniferum.test';
const UPLOAD = `${BASE}/api/v1/uploads/0123`;
const OUTCOME = {
  verdict: { name: 'a', outcome: 'accepted', reasons: [] },
  asset: '7',
  intake: '1',
  run: null,
};

/** A server of tus 1.0 that keeps what it is sent; `answers` may put others in the place of its own. */
function fakeServer(answers: ((method: string, sent: number) => Response | Error | null)[] = []) {
  const log: string[] = [];
  const state = { bytes: 0, length: 0, metadata: '' };
  const send: typeof fetch = async (input, init) => {
    const method = init?.method ?? 'GET';
    const headers = new Headers(init?.headers);
    const forced = answers.shift()?.(method, state.bytes) ?? null;
    if (forced instanceof Error) throw forced;
    log.push(`${method} ${headers.get('upload-offset') ?? ''}`.trim());
    if (forced) return forced;
    if (method === 'POST') {
      state.length = Number(headers.get('upload-length'));
      state.metadata = headers.get('upload-metadata') ?? '';
      return new Response(null, { status: 201, headers: { location: UPLOAD } });
    }
    if (method === 'HEAD')
      return new Response(null, { status: 200, headers: { 'upload-offset': String(state.bytes) } });
    if (method === 'PATCH') {
      if (Number(headers.get('upload-offset')) !== state.bytes) return new Response(null, { status: 409 });
      if (init?.body instanceof Blob) state.bytes += init.body.size;
      return new Response(null, { status: 204, headers: { 'upload-offset': String(state.bytes) } });
    }
    expect(String(input)).toBe(`${UPLOAD}/result`);
    return Response.json(OUTCOME);
  };
  return { client: createClient({ baseUrl: BASE, key: 'k', fetch: send }), log, state };
}

const data = new Blob(['0123456789']);

describe('a resumable upload', () => {
  test('goes in pieces, tells how far it is, and asks what came of it', async () => {
    const { client, log, state } = fakeServer();
    const progress: number[] = [];
    const result = await client.assets.uploadResumably({
      name: 'Möwe.jpg',
      folder: '/lights',
      data,
      chunkBytes: 4,
      unpack: true,
      onProgress: (sent) => progress.push(sent),
    });
    expect(result).toEqual(OUTCOME);
    expect(log).toEqual(['POST', 'PATCH 0', 'PATCH 4', 'PATCH 8', 'GET']);
    expect(progress).toEqual([4, 8, 10]);
    // tus 1.0.0, Upload-Metadata: key and value in base64, here of UTF-8.
    const metadata = Object.fromEntries(
      state.metadata.split(',').map((pair) => {
        const [key = '', value = ''] = pair.split(' ');
        return [key, new TextDecoder().decode(Uint8Array.from(atob(value), (char) => char.charCodeAt(0)))];
      }),
    );
    expect(metadata).toEqual({ filename: 'Möwe.jpg', folder: '/lights', unpack: 'true' });
  });

  test('goes on from where it had come to', async () => {
    const { client, log, state } = fakeServer();
    state.bytes = 6;
    await client.assets.uploadResumably({ name: 'a', folder: '/', data, url: UPLOAD });
    expect(log).toEqual(['HEAD', 'PATCH 6', 'GET']);
  });

  test('asks only for the result when it had arrived whole', async () => {
    const { client, log } = fakeServer([() => new Response(null, { status: 404 })]);
    await client.assets.uploadResumably({ name: 'a', folder: '/', data, url: UPLOAD });
    expect(log).toEqual(['HEAD', 'GET']);
  });

  test('after a broken line asks how far it came, and sends the rest', async () => {
    const { client, log, state } = fakeServer([
      () => null,
      () => {
        state.bytes = 3;
        return new TypeError('the line broke');
      },
    ]);
    await client.assets.uploadResumably({ name: 'a', folder: '/', data, chunkBytes: 5 });
    expect(log).toEqual(['POST', 'HEAD', 'PATCH 3', 'PATCH 8', 'GET']);
  });

  test('gives up after so many broken lines, and throws what the server refuses', async () => {
    const broken = () => new TypeError('the line broke');
    const one = fakeServer([() => null, broken]);
    await expect(
      one.client.assets.uploadResumably({ name: 'a', folder: '/', data, retries: 0 }),
    ).rejects.toThrow('could not be reached');
    const refused = fakeServer([
      () => null,
      () =>
        Response.json(
          { type: 'x', title: 'No', status: 413, detail: 'It is too large', code: 'too-large' },
          { status: 413 },
        ),
    ]);
    await expect(refused.client.assets.uploadResumably({ name: 'a', folder: '/', data })).rejects.toThrow(
      'too large',
    );
  });

  test('stops when it is told to', async () => {
    const { client, log } = fakeServer();
    const stop = new AbortController();
    const upload = client.assets.uploadResumably({
      name: 'a',
      folder: '/',
      data,
      chunkBytes: 2,
      signal: stop.signal,
      onProgress: (sent) => {
        if (sent === 4) stop.abort(new Error('Stopped'));
      },
    });
    await expect(upload).rejects.toThrow('Stopped');
    expect(log).toEqual(['POST', 'PATCH 0', 'PATCH 2']);
  });
});
