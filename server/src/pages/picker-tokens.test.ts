import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { deleteExpiredTokens } from '../access/token-queries.js';
import { describeRoutes } from '../describe.js';
import { change } from '../shared/database.js';
import { api } from '../testing/calls.js';
import { form, photo, startTestServer, type TestServer } from '../testing/harness.js';

let server: TestServer;
beforeAll(async () => {
  server = await startTestServer();
  for (const path of ['/news', '/news/old', '/newsroom'])
    await server.call('POST', `${api}/folders`, { json: { path } });
});
afterAll(() => server.close());

async function tokenFor(more: object = {}): Promise<string> {
  const { status, body } = await server.call('POST', `${api}/picker-tokens`, { json: more });
  expect(status, JSON.stringify(body)).toBe(201);
  return body.token;
}
const send = async (key: string, folder: string, names: readonly string[], fields = {}) => {
  const files = await Promise.all(
    names.map(async (name, n) => ({
      name,
      data: name.endsWith('.jpg') ? await photo(40 + n, 30) : Buffer.from('a'),
    })),
  );
  return server.call('POST', `${api}/assets`, { key, body: form(folder, files, fields) });
};
const statusOf = async (key: string, method: 'GET' | 'POST', path: string, json?: object) =>
  (await server.call(method, `${api}${path}`, { key, ...(json && { json }) })).status;

test('a token says what it is for, and expires', async () => {
  const token = await tokenFor({
    folder: '/news',
    origin: 'https://skerry.example',
    maxItems: 3,
    expiresIn: 60,
  });
  const { body } = await server.call('GET', `${api}/me`, { key: token });
  expect(body).toMatchObject({
    kind: 'token',
    rights: ['library:read', 'recipes:read', 'library:write'],
    scope: { folder: '/news', origin: 'https://skerry.example', maxItems: 3, maxBytes: null, allow: [] },
  });
  expect(Date.parse(body.scope.expiresAt) - Date.now()).toBeLessThanOrEqual(60_000);
  await change(server.db, 'UPDATE access_tokens SET expires_at = NOW(3) WHERE id = ?', [body.id]);
  expect(await statusOf(token, 'GET', '/me')).toBe(401);
  expect(await deleteExpiredTokens(server.db)).toBe(1);
});

test('it opens only what a picker and an upload need, whatever its rights are', async () => {
  const token = await tokenFor();
  const answered: string[] = [];
  for (const { method, path, access } of await describeRoutes()) {
    if (access === 'public' || access === 'anyone' || !path.startsWith(api)) continue;
    const url = path.replace(/\{\w+\*?\}/g, '1').slice(api.length);
    const status = await statusOf(
      token,
      method.toUpperCase() as 'GET',
      url,
      ['get', 'head'].includes(method) ? undefined : {},
    );
    if (status !== 403) answered.push(`${method} ${path.slice(api.length)}`);
  }
  expect(answered.sort()).toEqual([
    'delete /uploads/{id}',
    'get /assets',
    'get /assets/{id}',
    'get /folders',
    'get /me',
    'get /recipes',
    'get /uploads/{id}/result',
    'head /uploads/{id}',
    'patch /uploads/{id}',
    'post /assets',
    'post /assets/from-address',
    'post /intake/check',
    'post /uploads',
  ]);
});

describe('a token for a folder', () => {
  test('shows it and what is below, and nothing else', async () => {
    const everything = await tokenFor();
    const inside = (await send(everything, '/news/old', ['a.jpg'])).body.id;
    const outside = (await send(everything, '/newsroom', ['b.jpg'])).body.id;
    const token = await tokenFor({ folder: '/news' });
    expect(await statusOf(token, 'GET', '/assets?folder=/news')).toBe(200);
    expect(await statusOf(token, 'GET', '/assets?folder=/news/old&q=kind:image')).toBe(200);
    expect(await statusOf(token, 'GET', '/folders?within=/news')).toBe(200);
    expect(await statusOf(token, 'GET', `/assets/${inside}`)).toBe(200);
    expect(await statusOf(token, 'GET', '/assets?folder=/newsroom')).toBe(403);
    expect(await statusOf(token, 'GET', '/assets')).toBe(403);
    expect(await statusOf(token, 'GET', '/folders')).toBe(403);
    expect(await statusOf(token, 'GET', `/assets/${outside}`)).toBe(403);
  });

  test('uploads into it and nowhere else, by each way', async () => {
    const token = await tokenFor({ folder: '/news' });
    const files = [{ name: 'a.jpg', bytes: 1 }];
    expect((await send(token, '/news/new', ['c.jpg'])).status).toBe(201);
    expect((await send(token, '/newsroom', ['c.jpg'])).status).toBe(403);
    expect((await send(token, '/news', ['c.zip'], { unpack: 'true' })).status).toBe(403);
    const source = { source: 'data:text/plain,a', name: 'a.txt' };
    for (const path of ['/assets', '/assets/from-address']) {
      expect(await statusOf(token, 'POST', path, { ...source, folder: '/news' })).toBe(201);
      expect(await statusOf(token, 'POST', path, { ...source, folder: '/' })).toBe(403);
    }
    expect(await statusOf(token, 'POST', '/intake/check', { folder: '/news', files })).toBe(200);
    expect(await statusOf(token, 'POST', '/intake/check', { folder: '/', files })).toBe(403);
  });

  test('must be for a folder that exists', async () => {
    const { status } = await server.call('POST', `${api}/picker-tokens`, { json: { folder: '/no' } });
    expect(status).toBe(404);
  });
});

describe('limits of a token', () => {
  const codes = (body: { verdict?: { reasons: { code: string }[] } }) =>
    body.verdict?.reasons.map(({ code }) => code);

  test('on type and size are judged before and after the upload', async () => {
    const token = await tokenFor({ folder: '/news', allow: ['image/*'], maxBytes: 2000 });
    expect(codes((await send(token, '/news', ['d.txt'])).body)).toEqual(['type-not-allowed']);
    const large = form('/news', [
      { name: 'large.jpg', data: Buffer.concat([await photo(40, 30), Buffer.alloc(9000)]) },
    ]);
    expect(codes((await server.call('POST', `${api}/assets`, { key: token, body: large })).body)).toEqual([
      'too-large',
    ]);
    const check = {
      folder: '/news',
      files: [
        { name: 'e.txt', bytes: 1 },
        { name: 'e.jpg', bytes: 2001 },
      ],
    };
    const { body } = await server.call('POST', `${api}/intake/check`, { key: token, json: check });
    expect(body.verdicts.map((verdict: object) => codes({ verdict } as never))).toEqual([
      ['type-not-allowed'],
      ['too-large'],
    ]);
  });

  test('on the number of files hold over several uploads, also of two at once', async () => {
    const token = await tokenFor({ folder: '/news', maxItems: 3 });
    const first = await send(token, '/news', ['f1.jpg', 'f2.jpg']);
    expect(first.body.results.map(({ status }: { status: number }) => status)).toEqual([201, 201]);
    const both = await Promise.all([
      send(token, '/news', ['f3.jpg']),
      send(token, '/newsroom/../news', ['f4.jpg']),
      send(token, '/news/old', ['f5.jpg']),
    ]);
    expect(both.map(({ status }) => status).filter((status) => status === 201)).toHaveLength(1);
    expect((await send(token, '/news', ['f6.jpg'])).body.verdict.reasons[0].code).toBe('too-many');
    const check = { folder: '/news', files: [{ name: 'g.jpg', bytes: 1 }] };
    const { body } = await server.call('POST', `${api}/intake/check`, { key: token, json: check });
    expect(body.verdicts[0].outcome).toBe('refused');
  });
});

describe('who asks for a token', () => {
  const keyWith = async (rights: string[]) =>
    (await server.call('POST', `${api}/keys`, { json: { name: 'Site', rights } })).body;

  test('can give away no more than it may do itself', async () => {
    const { secret } = await keyWith(['library:read', 'recipes:read']);
    const ask = (json: object) => server.call('POST', `${api}/picker-tokens`, { key: secret, json });
    expect((await ask({})).status).toBe(403);
    const { status, body } = await ask({ upload: false });
    expect(status).toBe(201);
    expect((await send(body.token, '/news', ['h.jpg'])).status).toBe(403);
  });

  test('takes its tokens along when it is revoked', async () => {
    const { id, secret } = await keyWith(['library:read', 'recipes:read', 'library:write']);
    const { token } = (await server.call('POST', `${api}/picker-tokens`, { key: secret, json: {} })).body;
    expect(await statusOf(token, 'GET', '/me')).toBe(200);
    await server.call('DELETE', `${api}/keys/${id}`);
    expect(await statusOf(token, 'GET', '/me')).toBe(401);
  });

  test('is told what is wrong with the request', async () => {
    for (const bad of [
      { origin: 'https://skerry.example/path' },
      { origin: 'javascript:alert(1)' },
      { origin: 'null' },
      { expiresIn: 86_401 },
      { expiresIn: 59 },
      { maxItems: 0 },
      { allow: ['no type'] },
      { unknown: 1 },
    ])
      expect(
        (await server.call('POST', `${api}/picker-tokens`, { json: bad })).status,
        JSON.stringify(bad),
      ).toBe(400);
  });
});
