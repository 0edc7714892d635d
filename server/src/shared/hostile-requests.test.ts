import { type ClientRequest, type IncomingMessage, request } from 'node:http';
import { afterAll, beforeAll, describe, expect, test, vi } from 'vitest';
import { describeRoutes } from '../describe.js';
import { findBroken } from '../house/invariants.js';
import { api } from '../testing/calls.js';
import { eventually, form, startTestServer, type TestServer } from '../testing/harness.js';
import { rawZip } from '../testing/zip.js';
import { UniferumError } from './errors.js';
import { documentOf } from './health-routes.js';
import { JsonShape } from './json-body.js';

const ALL_ROUTES = await describeRoutes();

let server: TestServer;
let key: string;
beforeAll(async () => {
  server = await startTestServer();
  key = await server.key();
});
afterAll(() => server.close());

interface Begun {
  request: ClientRequest;
  answer: Promise<{ status: number; body: string; bytesSent: number }>;
}

/** Begins a request whose body comes piece by piece, or never. */
function begin(
  method: string,
  path: string,
  headers: Record<string, string | number>,
  pieces: Iterable<Buffer> | null = null,
): Begun {
  const { hostname, port } = new URL(server.url);
  const outgoing = request({ hostname, port, method, path, headers, agent: false });
  let bytesSent = 0;
  let isAnswered = false;
  const answer = new Promise<{ status: number; body: string; bytesSent: number }>((resolve, reject) => {
    outgoing.on('response', (res: IncomingMessage) => {
      isAnswered = true;
      let body = '';
      res.on('data', (part) => {
        body += part;
      });
      const end = () => resolve({ status: res.statusCode ?? 0, body, bytesSent });
      res.on('end', end);
      res.on('close', end);
    });
    outgoing.on('error', (error) => {
      if (!isAnswered) reject(error);
    });
  });
  outgoing.flushHeaders();
  void (async () => {
    if (pieces === null) return;
    for (const piece of pieces) {
      if (isAnswered || outgoing.destroyed) return;
      bytesSent += piece.length;
      if (!outgoing.write(piece)) await new Promise((resolve) => outgoing.once('drain', resolve));
    }
    outgoing.end();
  })();
  return { request: outgoing, answer };
}

const LARGE = 24_000_000;

describe('a body', () => {
  const withBody = ALL_ROUTES.filter(
    ({ body, multipart, access }) => (body || multipart) && access !== 'public' && access !== 'anyone',
  );

  test.each(withBody.map(({ method, path }) => [method.toUpperCase(), path] as const))(
    'of a stranger is not waited for: %s %s',
    async (method, path) => {
      // Only the head is sent: whoever reads the body first never answers.
      const { request: outgoing, answer } = begin(method, path.replace(/\{\w+\*?\}/g, '1'), {
        'Content-Type': 'application/json',
        'Content-Length': LARGE,
      });
      expect((await answer).status).toBe(401);
      outgoing.destroy();
    },
  );

  test('that is too large is not waited for, also where no key is needed', async () => {
    const head = { 'Content-Type': 'application/json', 'Content-Length': LARGE };
    const signIn = begin('POST', `${api}/session`, head);
    expect((await signIn.answer).status).toBe(413);
    signIn.request.destroy();
    const known = begin('POST', `${api}/folders`, { ...head, Authorization: `Bearer ${key}` });
    expect((await known.answer).status).toBe(413);
    known.request.destroy();
  });

  test("that doesn't say how large it is is read up to the limit of its route", async () => {
    const brackets = Buffer.alloc(64_000, '"x",');
    const pieces = (function* () {
      yield Buffer.from('[');
      for (;;) yield brackets;
    })();
    const { answer } = begin(
      'POST',
      `${api}/folders`,
      { 'Content-Type': 'application/json', Authorization: `Bearer ${key}` },
      pieces,
    );
    const { status, bytesSent } = await answer;
    expect(status).toBe(413);
    expect(bytesSent).toBeLessThan(20_000_000);
  });

  test.each([
    ['of brackets in brackets', `{"content":${'['.repeat(100_000)}`],
    ['of objects in objects', '{"a":'.repeat(100_000)],
    ['of more values than anybody needs', `{"ids":[${'1,'.repeat(600_000)}1]}`],
  ])('%s is refused before anything is built of it', async (_what, json) => {
    const { status, body } = await server.call('POST', `${api}/intake/manifest`, {
      key,
      body: json,
      headers: { 'Content-Type': 'application/json' },
    });
    expect([status, body.code]).toEqual([400, 'malformed-request']);
  });

  test('is watched piece by piece, wherever it is cut', () => {
    const json = Buffer.from('{"a":"[[[\\"[[[","b":[[1,2],[3]]}');
    for (let cut = 1; cut < json.length; cut += 1) {
      const shape = new JsonShape({ maxDepth: 3 });
      expect(() => {
        shape.add(json.subarray(0, cut));
        shape.add(json.subarray(cut));
      }).not.toThrow();
      const strict = new JsonShape({ maxDepth: 2 });
      expect(() => {
        strict.add(json.subarray(0, cut));
        strict.add(json.subarray(cut));
      }).toThrow(/2 levels deep/);
    }
  });

  test.each([
    [{ 'Content-Type': 'application/json; charset=utf-16' }, '{}', 415],
    [{ 'Content-Type': 'application/json', 'Content-Encoding': 'gzip' }, '{}', 415],
    [{ 'Content-Type': 'text/plain' }, '{}', 415],
    [{ 'Content-Type': 'application/json' }, Buffer.from([0x22, 0xff, 0xfe, 0x22]), 400],
    [{ 'Content-Type': 'application/json' }, '', 415],
    [{ 'Content-Type': 'application/json' }, '{"path":"/a","__proto__":{"x":1}}', 400],
    [{ 'Content-Type': 'application/json' }, '{"constructor":{"prototype":{"x":1}},"path":"/a"}', 400],
  ])('with %j and %j is told what is wrong', async (headers, body, status) => {
    const answer = await server.call('POST', `${api}/folders`, { key, body, headers: headers as never });
    expect(answer.status).toBe(status);
    expect(answer.body.detail.length).toBeGreaterThan(10);
    expect({}).not.toHaveProperty('x');
  });
});

test.each([
  ['/renditions/surplus/remove', { keys: [{ asset: '1', recipe: 'wide', variant: 'ä' }] }],
  ['/runs/failures/retry', { reason: 'x', kind: 'ä' }],
  ['/bin/empty', { olderThanDays: 1_000_000 }],
  ['/recipes/preview', { asset: '1', steps: [{ op: 'toString' }] }],
  ['/recipes/preview', { asset: '1', steps: [{ op: 'blur', radius: 1, constructor: 1 }] }],
])('%s with %j is refused before the database sees it', async (path, json) => {
  const { status, body } = await server.call('POST', api + path, { json });
  expect([status, body.code]).toEqual([400, 'malformed-request']);
});

describe('half a surrogate pair', () => {
  test.each([
    ['sent', 'half \ud800 and \udfff.txt'],
    ['made by cutting a name', `${'x'.repeat(999)}${'😀'.repeat(600)}.txt`],
    ['made by cutting one at another place', `${'x'.repeat(1000)}${'😀'.repeat(600)}.txt`],
    ['only seemingly there', 'a backslash \\ud800.txt'],
  ])('%s leaves every count right and every answer readable', async (_how, name) => {
    await server.call('POST', `${api}/assets`, {
      json: { source: 'data:text/plain,x', folder: '/half', name },
    });
    const content = JSON.stringify([{ source: 'data:text/plain,y', name, alt: name.slice(0, 4999) }]);
    await server.call('POST', `${api}/intake/manifest`, { json: { content, folder: '/half' } });
    await server.workUntilIdle();
    expect((await server.call('GET', `${api}/assets?folder=/half`)).status).toBe(200);
    expect(await findBroken(server.db, server.store)).toEqual([]);
  });
});

describe('a multipart body', () => {
  const boundary = 'b0undary';
  const head = () => ({
    'Content-Type': `multipart/form-data; boundary=${boundary}`,
    Authorization: `Bearer ${key}`,
  });
  const field = (name: string, value: string) =>
    Buffer.from(`--${boundary}\r\nContent-Disposition: form-data; name="${name}"\r\n\r\n${value}\r\n`);

  test('of fields without end is refused when they fill more than a little memory', async () => {
    const large = 'x'.repeat(20_000);
    const pieces = (function* () {
      for (let n = 0; ; n += 1) yield field(`f${n}`, large);
    })();
    const { status, bytesSent } = await begin('POST', `${api}/assets`, head(), pieces).answer;
    expect(status).toBe(413);
    // What is taken, what is read while the answer is on its way, and what lies in the buffers of the line.
    expect(bytesSent).toBeLessThan(40_000_000);
  });

  test('with a value, or with more files, than is taken is refused and not cut', async () => {
    const long = await begin('POST', `${api}/assets`, head(), [
      field('title', 'x'.repeat(40_000)),
      Buffer.from(`--${boundary}--\r\n`),
    ]).answer;
    expect([long.status, JSON.parse(long.body).detail]).toEqual([413, expect.stringContaining('"title"')]);
  });

  test('that is none says so', async () => {
    for (const body of ['', 'garbage', `--${boundary}\r\n\r\n`]) {
      const { status } = await begin('POST', `${api}/assets`, head(), [Buffer.from(body)]).answer;
      expect(status, body).toBe(400);
    }
    const none = await begin('POST', `${api}/assets`, { ...head(), 'Content-Type': 'multipart/form-data' })
      .answer;
    expect(none.status).toBe(400);
  });

  test.each(['raw', 'form'])(
    "whose bytes can't be kept is answered while it is still being sent: %s",
    async (how) => {
      const asset = await server.call('POST', `${api}/assets`, {
        body: form('/unkept', [{ name: `${how}.txt`, data: Buffer.from(`before, ${how}`) }]),
      });
      const stage = vi.spyOn(server.store, 'stage').mockImplementationOnce(async (stream) => {
        // Giving a stream up in the middle ends it, as a write that fails does.
        for await (const _piece of stream) throw new UniferumError('storage-full', 'The store is full.');
        throw new Error('Expected some bytes');
      });
      const path = `${api}/assets/${asset.body.id}/content`;
      const data = Buffer.alloc(14_000_000, how);
      const { status } = await server.call('PUT', path, {
        ...(how === 'form'
          ? { body: form('/unkept', [{ name: 'a.txt', data }]) }
          : { body: data, headers: { 'Content-Type': 'application/octet-stream' } }),
      });
      stage.mockRestore();
      expect(status).toBe(507);
      expect((await server.call('GET', `${api}/assets/${asset.body.id}`)).body.version).toBe(1);
    },
  );

  test('that is cut off anywhere says so at every door, and costs nobody else anything', async () => {
    const asset = await server.call('POST', `${api}/assets`, {
      body: form('/cut', [{ name: 'a.txt', data: Buffer.from('whole') }]),
    });
    const file = Buffer.from(
      `--${boundary}\r\nContent-Disposition: form-data; name="file"; filename="a.txt"\r\n\r\n${'x'.repeat(300)}`,
    );
    for (const length of [2, 20, 60, 95, 100, 200, file.length])
      for (const [method, path, before] of [
        ['POST', `${api}/assets`, field('folder', '/cut')],
        ['POST', `${api}/assets`, field('unpack', 'true')],
        ['PUT', `${api}/assets/${asset.body.id}/content`, Buffer.alloc(0)],
      ] as const) {
        const { status } = await begin(method, path, head(), [before, file.subarray(0, length)]).answer;
        expect([method, length, status]).toEqual([method, length, 400]);
      }
    const now = await server.call('GET', `${api}/assets/${asset.body.id}`);
    expect(now.body).toMatchObject({ version: 1, bytes: 5 });
  });
});

test('an archive that states four thousand million entries in 98 bytes is refused, and nothing is made ready for them', async () => {
  // Source: APPNOTE 4.3.14 (zip64 end of central directory), 4.3.15 (its locator), 4.3.16.
  const end64 = Buffer.alloc(56);
  end64.writeUInt32LE(0x06064b50, 0);
  end64.writeBigUInt64LE(44n, 4);
  end64.writeBigUInt64LE(0xffffffffn, 24);
  end64.writeBigUInt64LE(0xffffffffn, 32);
  const locator = Buffer.alloc(20);
  locator.writeUInt32LE(0x07064b50, 0);
  locator.writeUInt32LE(1, 16);
  const end = Buffer.alloc(22);
  end.writeUInt32LE(0x06054b50, 0);
  end.fill(0xff, 8, 20);
  const lying = Buffer.concat([end64, locator, end]);
  expect(lying.length).toBe(98);
  const before = process.memoryUsage().rss;
  const { status, body } = await server.call('POST', `${api}/assets`, {
    key,
    body: form('/lying', [{ name: 'lying.zip', data: lying }], { unpack: 'true' }),
  });
  expect([status, body.code]).toEqual([422, 'refused']);
  expect(body.detail).toContain('4,294,967,295');
  expect(process.memoryUsage().rss - before).toBeLessThan(500_000_000);
  const honest = rawZip([{ name: Buffer.from('a.txt'), data: Buffer.from('a') }]);
  const good = await server.call('POST', `${api}/assets`, {
    key,
    body: form('/honest', [{ name: 'honest.zip', data: honest }], { unpack: 'true' }),
  });
  expect(good.status).toBe(202);
});

describe('the description of the API', () => {
  test('is built once, and not sent again to who has it', async () => {
    expect(documentOf(ALL_ROUTES)).toBe(documentOf(ALL_ROUTES));
    const first = await server.call('GET', `${api}/openapi.json`, { key: null });
    const etag = first.headers.get('etag') ?? '';
    expect(first.headers.get('content-encoding')).toBe('gzip');
    const plain = await server.call('GET', `${api}/openapi.json`, {
      key: null,
      headers: { 'Accept-Encoding': 'identity' },
    });
    expect([plain.headers.get('content-encoding'), plain.body]).toEqual([null, first.body]);
    const again = await server.call('GET', `${api}/openapi.json`, {
      key: null,
      headers: { 'If-None-Match': etag },
    });
    expect([again.status, again.bytes.length]).toEqual([304, 0]);
  });
});

test('one caller has so many requests at a route at a time, and others go on', async () => {
  const begun: Begun[] = [];
  const beginOne = () => {
    const one = begin('POST', `${api}/intake/manifest`, {
      'Content-Type': 'application/json',
      'Content-Length': 1000,
      Authorization: `Bearer ${key}`,
    });
    one.answer.catch(() => {});
    begun.push(one);
  };
  const more = () =>
    server.call('POST', `${api}/intake/manifest?rehearse=true`, { key, json: { content: 'path\na.jpg\n' } });
  await eventually(async () => {
    beginOne();
    return (await more()).status === 429;
  });
  expect((await more()).headers.get('retry-after')).toBe('1');
  const other = await server.call('POST', `${api}/intake/manifest?rehearse=true`, {
    json: { content: 'path\na.jpg\n' },
  });
  expect(other.status).toBe(200);
  for (const { request: outgoing } of begun) outgoing.destroy();
  await eventually(async () => (await more()).status === 200);
});
