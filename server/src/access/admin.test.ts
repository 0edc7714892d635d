import { execFile } from 'node:child_process';
import { fileURLToPath } from 'node:url';
import { afterAll, beforeAll, describe, expect, inject, test } from 'vitest';
import { select } from '../shared/database.js';
import { startTestServer, type TestServer } from '../testing/harness.js';

// The program of the operator, as it is run on the server's own machine.

const ADMIN = fileURLToPath(new URL('../../dist/admin.js', import.meta.url));
let server: TestServer;
beforeAll(async () => {
  server = await startTestServer();
});
afterAll(() => server.close());

const PASSWORD = 'a lamp in the long fog';

function admin(args: string[], more: Record<string, string | undefined> = {}) {
  const { host, port, user, password } = inject('database');
  const env = {
    ...process.env,
    ...{ UNIFERUM_DB_HOST: host, UNIFERUM_DB_PORT: String(port), UNIFERUM_DB_USER: user },
    ...{ UNIFERUM_DB_PASSWORD: password, UNIFERUM_DB_NAME: server.config.database.name },
    ...{ UNIFERUM_DATA_DIR: server.config.dataDir, UNIFERUM_PASSWORD: PASSWORD },
    ...more,
  };
  return new Promise<{ code: number; out: string; err: string }>((resolve) => {
    execFile(process.execPath, [ADMIN, ...args], { env }, (error, out, err) =>
      resolve({ code: typeof error?.code === 'number' ? error.code : 0, out, err }),
    ).stdin?.end();
  });
}
const users = () =>
  select<{ email: string; name: string; password_hash: string; rights: string }>(
    server.db,
    'SELECT email, name, password_hash, rights FROM users ORDER BY id',
  );
const find = async (email: string) => (await users()).find((one) => one.email === email);

test('explains itself, without a database', async () => {
  const { code, out } = await admin(['--help'], { UNIFERUM_DB_PORT: '9' });
  expect([code, out]).toEqual([0, expect.stringContaining('check-secret --url')]);
  for (const args of [[], ['nonsense'], ['user', 'more'], ['key', '--nmae', 'x']]) {
    const wrong = await admin(args, { UNIFERUM_DB_PORT: '9' });
    expect([args, wrong.code, wrong.err.trim().split('\n').length]).toEqual([args, 2, 1]);
  }
});

describe('a user', () => {
  test('is created, and changed only when that is confirmed', async () => {
    expect((await admin(['user', '--email', 'edda@skerry.example', '--name', 'Edda'])).out.trim()).toBe(
      'Created edda@skerry.example.',
    );
    const before = await find('edda@skerry.example');
    const again = await admin(['user', '--email', 'edda@skerry.example', '--rights', 'library:read']);
    expect([again.code, again.err]).toEqual([2, expect.stringContaining('Nothing was changed')]);
    expect(await find('edda@skerry.example')).toEqual(before);
    const confirmed = await admin([
      'user',
      '--email',
      'edda@skerry.example',
      '--rights',
      'library:read',
      '--yes',
    ]);
    expect(confirmed.out.trim()).toBe('Changed edda@skerry.example.');
    const after = await find('edda@skerry.example');
    expect([after?.name, after?.rights]).toEqual(['Edda', '["library:read"]']);
    expect(after?.password_hash).not.toBe(before?.password_hash);
  });

  test.each([
    [
      'an address that is none',
      ['--email', 'edda'],
      {},
      /"edda" isn't an email address. Pass an email address with --email/,
    ],
    ['no address', [], {}, /--email/],
    [
      'a right that is none',
      ['--email', 'b@skerry.example', '--rights', 'library:read,libary:write'],
      {},
      /There is no right "libary:write"/,
    ],
    ['no password', ['--email', 'b@skerry.example'], { UNIFERUM_PASSWORD: undefined }, /UNIFERUM_PASSWORD/],
    [
      'a short password',
      ['--email', 'b@skerry.example'],
      { UNIFERUM_PASSWORD: 'fog' },
      /at least 12 characters/,
    ],
  ])('with %s is refused', async (_what, args, env, message) => {
    const before = await users();
    const { code, err } = await admin(['user', ...args], env);
    expect([code, err]).toEqual([2, expect.stringMatching(message)]);
    expect(await users()).toEqual(before);
  });
});

test('a key has the rights and origins that are given, and no others', async () => {
  const { out } = await admin([
    'key',
    '--name',
    'A page',
    '--rights',
    'library:read',
    '--origins',
    'https://skerry.example',
  ]);
  const me = await server.call('GET', '/api/v1/me', { key: out.trim() });
  expect([me.body.name, me.body.rights]).toEqual(['A page', ['library:read']]);
  const [key] = (await server.call('GET', '/api/v1/keys')).body.items.filter(
    ({ name }: { name: string }) => name === 'A page',
  );
  expect(key.origins).toEqual(['https://skerry.example']);
  for (const args of [
    ['--rights', 'everything'],
    ['--origins', 'skerry.example'],
    ['--rights', ''],
  ])
    expect((await admin(['key', ...args])).code).toBe(2);
});

test('the secret of a check needs an address', async () => {
  expect((await admin(['check-secret', '--url', 'nowhere'])).code).toBe(2);
  expect((await admin(['check-secret', '--url', 'https://checks.skerry.example/file'])).out.trim()).toMatch(
    /^\S{20,}$/,
  );
});
