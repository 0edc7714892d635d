import { ALL_RIGHTS } from '@uniferum/core';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { ALL_ROUTES } from '../app.js';
import { EMAIL, makeTestUser, PASSWORD, startTestServer, type TestServer } from '../testing/harness.js';
import { hashPassword, verifyPassword } from './passwords.js';

let server: TestServer;
beforeAll(async () => {
  server = await startTestServer();
  await makeTestUser(server.db);
});
afterAll(() => server.close());

const signIn = (password: string, email = EMAIL) =>
  server.call('POST', '/api/v1/session', { key: null, json: { email, password } });

async function cookieOf(): Promise<string> {
  const { headers } = await signIn(PASSWORD);
  return headers.get('set-cookie')?.split(';')[0] ?? '';
}

describe('sign-in', () => {
  test('gives a session in a cookie that scripts cannot read and other sites do not send', async () => {
    const { status, headers } = await signIn(PASSWORD);
    expect(status).toBe(204);
    expect(headers.get('set-cookie')).toMatch(/HttpOnly; SameSite=Strict/);
  });

  test('the session answers who I am, until I sign out', async () => {
    const Cookie = await cookieOf();
    expect((await server.call('GET', '/api/v1/me', { key: null, headers: { Cookie } })).body).toMatchObject({
      kind: 'user',
      name: 'Edda',
      rights: ALL_RIGHTS,
    });
    expect(
      (await server.call('DELETE', '/api/v1/session', { key: null, headers: { Cookie, Origin: server.url } }))
        .status,
    ).toBe(204);
    expect((await server.call('GET', '/api/v1/me', { key: null, headers: { Cookie } })).status).toBe(401);
  });

  test('a wrong password and an unknown address get the same answer', async () => {
    const [wrong, unknown] = [await signIn('not it'), await signIn('not it', 'nobody@skerry.example')];
    expect([wrong.status, unknown.status]).toEqual([401, 401]);
    expect(wrong.body.detail).toBe(unknown.body.detail);
  });

  test('too many failures have to wait, also with the right password', async () => {
    const other = 'gull@skerry.example';
    for (let n = 0; n < 8; n += 1) await signIn('guess', other);
    const { status, headers, body } = await signIn('guess', other);
    expect([status, body.code]).toEqual([429, 'too-many-attempts']);
    expect(Number(headers.get('retry-after'))).toBeGreaterThan(0);
  });

  test('a change with the session from another site is refused', async () => {
    const Cookie = await cookieOf();
    const post = (headers: Record<string, string>) =>
      server.call('POST', '/api/v1/folders', {
        key: null,
        json: { path: '/csrf' },
        headers: { Cookie, ...headers },
      });
    expect((await post({ Origin: 'https://evil.example' })).body.code).toBe('foreign-origin');
    expect((await post({})).body.code).toBe('foreign-origin');
    expect((await post({ Origin: server.url })).status).toBe(201);
  });
});

test('a password is stored by a memory-hard hash, each time another one', async () => {
  const [first, second] = [await hashPassword('lamp'), await hashPassword('lamp')];
  expect(first).toMatch(/^scrypt\$32768\$8\$3\$/);
  expect(first).not.toBe(second);
  expect([
    await verifyPassword('lamp', first),
    await verifyPassword('lens', first),
    await verifyPassword('lamp', null),
  ]).toEqual([true, false, false]);
});

describe('API keys', () => {
  test('are shown once and stored as a digest', async () => {
    const { status, body } = await server.call('POST', '/api/v1/keys', {
      json: { name: 'Nightly', rights: ['library:read'] },
    });
    expect(status).toBe(201);
    expect(body.secret).toMatch(/^uf_[\w-]{40}$/);
    const listed = (await server.call('GET', '/api/v1/keys')).body.items.find(
      ({ id }: { id: string }) => id === body.id,
    );
    expect(listed).not.toHaveProperty('secret');
    const [rows] = await server.db.query('SELECT * FROM api_keys WHERE id = ?', [body.id]);
    expect(JSON.stringify(rows)).not.toContain(body.secret);
  });

  test('stop working when they are revoked', async () => {
    const { body } = await server.call('POST', '/api/v1/keys', {
      json: { name: 'Short', rights: ['library:read'] },
    });
    expect((await server.call('GET', '/api/v1/folders', { key: body.secret })).status).toBe(200);
    await server.call('DELETE', `/api/v1/keys/${body.id}`);
    expect((await server.call('GET', '/api/v1/folders', { key: body.secret })).status).toBe(401);
  });

  test('cannot give away rights that their maker does not have', async () => {
    const key = await server.key(['keys:write']);
    const { status, body } = await server.call('POST', '/api/v1/keys', {
      key,
      json: { name: 'More', rights: ['rules:write'] },
    });
    expect([status, body.code]).toEqual([403, 'right-missing']);
  });
});

describe('every route', () => {
  const guarded = ALL_ROUTES.filter(({ access }) => access !== 'public');
  const addressOf = (path: string) => path.replace(/\{\w+\*?\}/g, '1');

  test.each(guarded.map(({ method, path, access }) => [method.toUpperCase(), path, access] as const))(
    '%s %s is closed without a key and with one that lacks %s',
    async (method, path, access) => {
      const without = await server.call(method, addressOf(path), { key: null });
      expect([without.status, without.body?.code ?? 'not-signed-in']).toEqual([401, 'not-signed-in']);
      expect((await server.call(method, addressOf(path), { key: 'uf_invented' })).status).toBe(401);
      if (access === 'known') return;
      const weak = await server.key(ALL_RIGHTS.filter((right) => right !== access));
      const refused = await server.call(method, addressOf(path), { key: weak });
      expect([refused.status, refused.body?.code ?? 'right-missing']).toEqual([403, 'right-missing']);
    },
  );

  test('those that are open to everybody are these, and no others', () => {
    const open = ALL_ROUTES.filter(({ access }) => access === 'public').map(
      ({ method, path }) => `${method} ${path}`,
    );
    expect(open.sort()).toEqual([
      'get /api/v1/health',
      'get /api/v1/openapi.json',
      'get /api/v1/recipes/schema.json',
      'get /health',
      'get /iiif/3/{id}',
      'get /iiif/3/{id}/info.json',
      'get /iiif/3/{id}/{region}/{size}/{rotation}/{file}',
      'get /made/{id}/{signature}/{spec}',
      'get /media/{path*}',
      'options /api/v1/uploads',
      'post /api/v1/session',
    ]);
  });
});
