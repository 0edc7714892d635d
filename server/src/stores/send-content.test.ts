import { mkdtemp, rm } from 'node:fs/promises';
import type { AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Readable } from 'node:stream';
import express from 'express';
import { afterAll, beforeAll, describe, expect, test, vi } from 'vitest';
import { UniferumError } from '../shared/errors.js';
import { DiskStore } from './disk-store.js';
import { type Content, sendContent } from './send-content.js';

const DATA = '0123456789';
const MODIFIED = new Date('2026-05-20T12:00:00.750Z');
let root: string;
let store: DiskStore;
let sha256: string;
let server: ReturnType<ReturnType<typeof express>['listen']>;
let sent: Partial<Content> = {};
let mayHoldScripts: unknown;
let answered: unknown;

beforeAll(async () => {
  root = await mkdtemp(join(tmpdir(), 'uniferum-send-'));
  store = new DiskStore(root);
  await store.prepare();
  const staged = await store.stage(Readable.from([Buffer.from(DATA)]), { limitBytes: 100 });
  await staged.keep();
  sha256 = staged.sha256;
  const app = express();
  app.get('/', (req, res) => {
    const content: Content = {
      ...{ sha256, bytes: DATA.length, mime: 'image/jpeg', name: 'dusk "é".jpg', modifiedAt: MODIFIED },
      ...{ asAttachment: false, cacheControl: 'public, max-age=60' },
      ...sent,
    };
    res.locals.mayHoldScripts = mayHoldScripts;
    sendContent(req, res, store, content).then(
      (answer) => {
        answered = answer;
      },
      (error: unknown) => {
        const [status, text] =
          error instanceof UniferumError ? [error.status, error.code] : [500, String(error)];
        res.status(status).send(text);
      },
    );
  });
  await new Promise<void>((resolve) => {
    server = app.listen(0, '127.0.0.1', () => resolve());
  });
});
afterAll(async () => {
  server.close();
  await rm(root, { recursive: true, force: true });
});

async function get(headers: Record<string, string> = {}, content: Partial<Content> = {}, method = 'GET') {
  sent = content;
  const url = `http://127.0.0.1:${(server.address() as AddressInfo).port}/`;
  const response = await fetch(url, { headers, method });
  const header = (name: string) => response.headers.get(name);
  return { status: response.status, text: await response.text(), header };
}
const etag = () => `"${sha256}"`;

/** Source: RFC 9110, 8.8, 13 and 14. */
describe('content', () => {
  test('is sent whole, with what identifies it', async () => {
    const { status, text, header } = await get();
    expect([status, text]).toEqual([200, DATA]);
    expect([
      header('etag'),
      header('last-modified'),
      header('content-length'),
      header('accept-ranges'),
    ]).toEqual([etag(), 'Wed, 20 May 2026 12:00:00 GMT', '10', 'bytes']);
    expect(header('cache-control')).toBe('public, max-age=60');
    expect(header('content-security-policy')).toContain("default-src 'none'");
    expect(header('cross-origin-resource-policy')).toBe('cross-origin');
  });

  test('is sent in its form, without a time where it has none', async () => {
    const { header } = await get({}, { form: 'rights', modifiedAt: null });
    expect([header('etag'), header('last-modified')]).toEqual([`"${sha256}.rights"`, null]);
  });

  test('asked for by HEAD has no bytes', async () => {
    const { status, text, header } = await get({}, {}, 'HEAD');
    expect([status, text, header('content-length')]).toEqual([200, '', '10']);
  });

  test.each([
    ['image/jpeg', null],
    ['image/svg+xml', null],
    ['video/mp4', null],
    ['application/pdf', null],
    ['text/plain', null],
    ['text/html', 'attachment'],
    ['application/zip', 'attachment'],
    ['image/svg', 'attachment'],
    ['application/pdfx', 'attachment'],
  ])('of the type %s: %s', async (mime, disposition) => {
    const { header } = await get({}, { mime });
    expect(header('content-disposition')?.split(';')[0] ?? null).toBe(disposition);
  });

  test('to be saved has its name', async () => {
    const { header } = await get({}, { asAttachment: true });
    expect(header('content-disposition')).toBe(
      `attachment; filename="dusk \\"?\\".jpg"; filename*=UTF-8''dusk%20%22%C3%A9%22.jpg`,
    );
  });

  test('of text is UTF-8', async () => {
    expect((await get({}, { mime: 'text/csv' })).header('content-type')).toBe('text/csv; charset=utf-8');
    expect((await get()).header('content-type')).toBe('image/jpeg');
  });
});

describe('a condition', () => {
  test.each<[Record<string, string>, number]>([
    [{ 'if-none-match': '*' }, 304],
    [{ 'if-none-match': 'ETAG' }, 304],
    [{ 'if-none-match': '"x", W/ETAG' }, 304],
    [{ 'if-none-match': '"x"' }, 200],
    [{ 'if-modified-since': 'Wed, 20 May 2026 12:00:00 GMT' }, 304],
    [{ 'if-modified-since': 'Wed, 20 May 2026 11:59:59 GMT' }, 200],
    [{ 'if-modified-since': 'nonsense' }, 200],
    // The entity tag counts where both are asked for. Source: RFC 9110, 13.1.3.
    [{ 'if-none-match': '"x"', 'if-modified-since': 'Wed, 20 May 2026 12:00:00 GMT' }, 200],
    [{ 'if-match': 'ETAG' }, 200],
    [{ 'if-match': '"x"' }, 412],
    [{ range: 'bytes=0-1', 'if-range': 'ETAG' }, 206],
    [{ range: 'bytes=0-1', 'if-range': '"x"' }, 200],
    [{ range: 'bytes=0-1', 'if-range': 'Wed, 20 May 2026 12:00:00 GMT' }, 206],
    [{ range: 'bytes=0-1', 'if-range': 'Wed, 20 May 2026 12:00:01 GMT' }, 200],
  ])('%j is answered with %s', async (headers, status) => {
    const given = Object.fromEntries(
      Object.entries(headers).map(([name, value]) => [name, value.replace('ETAG', etag())]),
    );
    expect((await get(given)).status).toBe(status);
  });

  test('by time holds for nothing without a time', async () => {
    const headers = { 'if-modified-since': 'Wed, 20 May 2099 12:00:00 GMT' };
    expect((await get(headers, { modifiedAt: null })).status).toBe(200);
  });
});

describe('a range', () => {
  test.each([
    ['bytes=0-3', '0123', 'bytes 0-3/10'],
    ['bytes=4-', '456789', 'bytes 4-9/10'],
    ['bytes=-2', '89', 'bytes 8-9/10'],
    ['bytes=9-99', '9', 'bytes 9-9/10'],
    // Ranges that touch are one. Source: RFC 9110, 15.3.7.2.
    ['bytes=0-1,2-3', '0123', 'bytes 0-3/10'],
  ])('%s', async (range, text, contentRange) => {
    const answer = await get({ range });
    expect([answer.status, answer.text, answer.header('content-range')]).toEqual([206, text, contentRange]);
    expect(answer.header('content-length')).toBe(String(text.length));
  });

  test.each(['bytes=0-1,5-6', 'lines=0-1', 'nonsense'])('%s is answered with the whole', async (range) => {
    const { status, text } = await get({ range });
    expect([status, text]).toEqual([200, DATA]);
  });

  test("beyond the end can't be satisfied", async () => {
    const { status, header } = await get({ range: 'bytes=10-' });
    expect([status, header('content-range')]).toEqual([416, 'bytes */10']);
  });
});

test('a script runs only on an origin that holds nothing else', async () => {
  const script = { mime: 'text/javascript', name: 'a.js' };
  for (const [isApart, type] of [
    [true, 'text/javascript'],
    [false, 'text/plain'],
    [undefined, 'text/plain'],
    ['true', 'text/plain'],
  ] as const) {
    mayHoldScripts = isApart;
    expect((await get({}, script)).header('content-type')).toBe(`${type}; charset=utf-8`);
  }
});

test('bytes that break off half-way break off the answer, and are no second answer', async () => {
  // A folder is opened like a file, and fails when it is read.
  vi.spyOn(store, 'borrow').mockResolvedValueOnce({ path: root, release: async () => {} });
  answered = undefined;
  // Large enough to be sent as a stream.
  await expect(get({}, { bytes: 300_000 })).rejects.toThrow();
  await expect.poll(() => answered).toEqual({ status: 200, handled: true });
});

test('what is wrong with bytes of a store elsewhere is said before anything is sent', async () => {
  const damaged = new UniferumError('bytes-damaged', 'The bytes are damaged.');
  vi.spyOn(store, 'borrow').mockRejectedValueOnce(damaged);
  const { status, text, header } = await get({}, { bytes: 300_000 });
  expect([status, header('content-range')]).toEqual([502, null]);
  expect(text).toContain('damaged');
});

test('a file is released once it was sent', async () => {
  const release = vi.fn(async () => {});
  const borrow = store.borrow.bind(store);
  vi.spyOn(store, 'borrow').mockImplementationOnce(async (sha256) => ({
    ...(await borrow(sha256)),
    release,
  }));
  await get();
  await expect.poll(() => release.mock.calls.length).toBe(1);
});

test('what was answered is not answered again', async () => {
  await get();
  await expect.poll(() => answered).toEqual({ status: 200, handled: true });
  await get({ range: 'bytes=0-1' });
  await expect.poll(() => answered).toEqual({ status: 206, handled: true });
  await get({ 'if-none-match': '*' });
  await expect.poll(() => answered).toEqual({ status: 304, handled: true });
});

test('a range on the condition of a time that there is not is answered with the whole', async () => {
  const headers = { range: 'bytes=0-1', 'if-range': 'Wed, 20 May 2026 12:00:00 GMT' };
  expect((await get(headers, { modifiedAt: null })).status).toBe(200);
});

test('pieces are sent one after the other, and ranges of them', async () => {
  const pieces = [{ from: 0, to: 2 }, { bytes: Buffer.from('ab') }, { zeros: 70_000 }, { from: 8, to: 10 }];
  const whole = `01ab${'\0'.repeat(70_000)}89`;
  const content = { pieces, bytes: whole.length, form: 'clean' };
  expect((await get({}, content)).text === whole).toBe(true);
  expect((await get({ range: 'bytes=1-3' }, content)).text).toBe('1ab');
  expect((await get({ range: 'bytes=-3' }, content)).text).toBe('\u000089');
});

test('bytes that are others than recorded are not sent', async () => {
  const { status, text, header } = await get({}, { bytes: 9 });
  expect([status, header('content-range')]).toEqual([500, null]);
  expect(text).toContain('are 10, not 9');
});

test('bytes that are missing from the store are a fault of ours, without what describes them', async () => {
  const { status, text, header } = await get({}, { sha256: 'f'.repeat(64) });
  expect([status, header('etag'), header('content-disposition')]).not.toContain(200);
  expect(status).toBe(500);
  expect(text).toContain('are missing from the store "server"');
  expect(header('etag')).not.toBe(`"${'f'.repeat(64)}"`);
});
