import { mkdir, mkdtemp, writeFile } from 'node:fs/promises';
import { get as httpGet } from 'node:http';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { brotliDecompressSync, gunzipSync } from 'node:zlib';
import { afterAll, beforeAll, expect, test } from 'vitest';
import { form, startTestServer, type TestServer } from '../testing/harness.js';

const api = '/api/v1';
const SCRIPT = 'export const lamp = 1;\n'.repeat(200);
let server: TestServer;

beforeAll(async () => {
  const web = await mkdtemp(join(tmpdir(), 'uniferum-web-'));
  await mkdir(join(web, 'assets'));
  await writeFile(join(web, 'index.html'), '<!doctype html><title>Uniferum</title>');
  await writeFile(join(web, 'assets/a.js'), SCRIPT);
  await writeFile(join(web, 'assets/a.js.br'), 'compressed by the build');
  server = await startTestServer({ env: { UNIFERUM_WEB_DIR: web } });
  const files = Array.from({ length: 20 }, (_, n) => ({ name: `${n}.txt`, data: Buffer.from(`note ${n}`) }));
  await server.call('POST', `${api}/assets`, { body: form('/packed', files) });
});
afterAll(() => server.close());

/** Asks without a library that decompresses by itself. */
async function ask(path: string, encodings: string) {
  const key = await server.key();
  return new Promise<{ encoding: string | undefined; vary: string | undefined; bytes: Buffer }>(
    (resolve, reject) => {
      const headers = { authorization: `Bearer ${key}`, 'accept-encoding': encodings };
      httpGet(server.url + path, { headers }, async (response) => {
        const parts: Buffer[] = [];
        for await (const part of response) parts.push(part);
        const { 'content-encoding': encoding, vary } = response.headers;
        resolve({ encoding, vary, bytes: Buffer.concat(parts) });
      }).on('error', reject);
    },
  );
}

const LIST = `${api}/assets?folder=/packed`;

test.each([
  ['br', brotliDecompressSync],
  ['gzip', gunzipSync],
] as const)(
  'an answer above a kilobyte is compressed with %s where the client accepts it',
  async (encoding, open) => {
    const plain = await ask(LIST, 'identity');
    expect(plain.encoding).toBeUndefined();
    const packed = await ask(LIST, encoding);
    expect(packed.encoding).toBe(encoding);
    expect(packed.vary).toContain('Accept-Encoding');
    expect(packed.bytes.length).toBeLessThan(plain.bytes.length / 3);
    expect(JSON.parse(open(packed.bytes).toString())).toEqual(JSON.parse(plain.bytes.toString()));
  },
);

test('a short answer, and the bytes of a file, go out as they are', async () => {
  expect((await ask(`${api}/me`, 'gzip, br')).encoding).toBeUndefined();
  const { items } = (await server.call('GET', LIST)).body;
  const { encoding, bytes } = await ask(`${api}/assets/${items[0].id}/content`, 'gzip, br');
  expect(encoding).toBeUndefined();
  expect(bytes.toString()).toMatch(/^note \d+$/);
});

test('scripts of the console are sent as the build compressed them, where the client accepts it', async () => {
  expect(await ask('/assets/a.js', 'gzip, br')).toMatchObject({
    encoding: 'br',
    bytes: Buffer.from('compressed by the build'),
  });
  expect((await ask('/assets/a.js', 'identity')).bytes.toString()).toBe(SCRIPT);
});
