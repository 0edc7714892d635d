import { ALL_RIGHTS } from '@uniferum/core/access';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { describeRoutes } from '../describe.js';
import { EMAIL, makeTestUser, PASSWORD, startTestServer, type TestServer } from '../testing/harness.js';
import { hashPassword, verifyPassword } from './passwords.js';
import { makeUser } from './service.js';
import { admitAttempt, slowdownMs } from './sign-in-limits.js';

const ALL_ROUTES = await describeRoutes();

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

  describe('with many attempts', () => {
    const from = (source: string, email: string, password = 'guess') =>
      server.call('POST', '/api/v1/session', {
        key: null,
        json: { email, password },
        headers: { 'X-Forwarded-For': source },
      });
    const statuses = (answers: { status: number }[]) =>
      answers.map(({ status }) => status).sort((a, b) => a - b);

    test('lets eight through, also when they come all at once', async () => {
      const answers = await Promise.all(
        Array.from({ length: 16 }, () => from('203.0.113.9', 'gull@skerry.example')),
      );
      expect(statuses(answers)).toEqual([...Array(8).fill(401), ...Array(8).fill(429)]);
      const { headers, body } = await from('203.0.113.9', 'gull@skerry.example');
      expect(body.code).toBe('too-many-attempts');
      expect(Number(headers.get('retry-after'))).toBeGreaterThan(800);
      expect(Number(headers.get('retry-after'))).toBeLessThanOrEqual(900);
    });

    test('locks out where they come from, not whom they name; spellings of one address are one', async () => {
      const spellings = [EMAIL, EMAIL.toUpperCase(), `${EMAIL} `];
      for (let n = 0; n < 9; n += 1) await from('203.0.113.10', spellings[n % 3] as string);
      expect((await from('203.0.113.10', EMAIL, PASSWORD)).status).toBe(429);
      expect((await from('203.0.113.11', EMAIL, PASSWORD)).status).toBe(204);
    });

    test('of one network counts them together', async () => {
      for (let n = 0; n < 8; n += 1) await from(`2001:db8:5:6::${n + 1}`, 'tern@skerry.example');
      expect((await from('2001:db8:5:6:ffff::1', 'tern@skerry.example')).status).toBe(429);
      expect((await from('2001:db8:5:7::1', 'tern@skerry.example')).status).toBe(401);
    });

    test('stops a source that tries many addresses', async () => {
      for (let n = 0; n < 39; n += 1)
        await admitAttempt(server.db, { account: `email:n${n}@skerry.example`, source: '203.0.113.12' });
      expect((await from('203.0.113.12', 'last@skerry.example')).status).toBe(401);
      expect((await from('203.0.113.12', 'one-more@skerry.example')).status).toBe(429);
    });

    test('slows down from the ninth failure with one account on, and never for long', () => {
      expect([0, 7, 8, 9, 12, 50, 1e9].map(slowdownMs)).toEqual([0, 0, 250, 500, 4000, 4000, 4000]);
    });

    test('forgets failures once the password was right', async () => {
      const email = 'dunlin@skerry.example';
      await makeUser(server.db, { email, name: 'Dunlin', password: PASSWORD, rights: [] });
      for (let n = 0; n < 11; n += 1) {
        const isRight = n % 5 === 4;
        expect((await from('203.0.113.13', email, isRight ? PASSWORD : 'guess')).status).toBe(
          isRight ? 204 : 401,
        );
      }
    });
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
  const guarded = ALL_ROUTES.filter(({ access }) => access !== 'public' && access !== 'anyone');
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
    const open = ALL_ROUTES.filter(({ access }) => access === 'public' || access === 'anyone').map(
      ({ method, path }) => `${method} ${path}`,
    );
    expect(open.sort()).toEqual([
      'get /api/v1/health',
      'get /api/v1/openapi.json',
      'get /api/v1/recipes/schema.json',
      'get /health',
      'get /health/live',
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
