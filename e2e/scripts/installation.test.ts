import { type ChildProcess, execFile, spawn } from 'node:child_process';
import { randomBytes } from 'node:crypto';
import { once } from 'node:events';
import { existsSync, mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { createServer } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { createConnection } from 'mysql2/promise';
import { afterAll, beforeAll, expect, inject, test } from 'vitest';

// The first real start, as docs/INSTALLATION.md describes it: its statements, its settings, its commands.

const ROOT = fileURLToPath(new URL('../..', import.meta.url));
const GUIDE = readFileSync(join(ROOT, 'docs/INSTALLATION.md'), 'utf8');
const blockOf = (info: string) => new RegExp(`\`\`\`${info}\\n([\\s\\S]*?)\`\`\``).exec(GUIDE)?.[1] ?? '';
const settings = Object.fromEntries(
  readFileSync(join(ROOT, 'deploy/uniferum.env.example'), 'utf8')
    .split('\n')
    .filter((line) => /^\w+=/.test(line))
    .map((line) => [line.slice(0, line.indexOf('=')), line.slice(line.indexOf('=') + 1)]),
);

const name = `uniferum_${randomBytes(4).toString('hex')}`;
const parts: ChildProcess[] = [];
let folder: string;
let env: Record<string, string | undefined>;

async function asAdministrator(sql: string): Promise<void> {
  const { host, port, user, password } = inject('database');
  const connection = await createConnection({ host, port, user, password, multipleStatements: true });
  await connection.query(sql);
  await connection.end();
}

beforeAll(async () => {
  folder = mkdtempSync(join(tmpdir(), 'uniferum-installation-'));
  const probe = createServer().listen(0, '127.0.0.1');
  await once(probe, 'listening');
  const { port } = probe.address() as { port: number };
  probe.close();
  const database = inject('database');
  env = {
    ...process.env,
    ...settings,
    // What is another thing here than there.
    ...{ UNIFERUM_DB_HOST: database.host, UNIFERUM_DB_PORT: String(database.port) },
    ...{ UNIFERUM_DB_NAME: name, UNIFERUM_DB_USER: name, UNIFERUM_PORT: String(port) },
    UNIFERUM_PUBLIC_URL: `http://127.0.0.1:${port}`,
    ...{ UNIFERUM_DATA_DIR: join(folder, 'data'), UNIFERUM_WEB_DIR: join(ROOT, 'web/dist') },
    ...{ UNIFERUM_URL: `http://127.0.0.1:${port}`, UNIFERUM_CONFIG: join(folder, 'none.json') },
  };
});
afterAll(async () => {
  for (const part of parts) {
    part.kill('SIGTERM');
    await once(part, 'exit');
  }
  await asAdministrator(`DROP DATABASE IF EXISTS ${name}; DROP USER IF EXISTS '${name}'@'%'`);
  rmSync(folder, { recursive: true, force: true });
});

function sh(script: string): Promise<{ code: number; out: string; err: string }> {
  return new Promise((resolve) => {
    execFile('sh', ['-ec', script], { cwd: ROOT, env }, (error, out, err) =>
      resolve({ code: typeof error?.code === 'number' ? error.code : 0, out, err }),
    );
  });
}

test('the guide leads to a file with a rendition', async () => {
  await asAdministrator(blockOf('sql').replaceAll('uniferum', name));
  for (const part of ['server', 'worker'])
    parts.push(spawn(process.execPath, ['tools/start.mjs', part], { cwd: ROOT, env, stdio: 'ignore' }));
  const health = () =>
    fetch(`${env.UNIFERUM_URL}/health`).then(
      (answer) => answer.json(),
      () => null,
    );
  await expect.poll(health, { timeout: 120_000 }).toMatchObject({ status: 'ok' });
  expect(existsSync(join(folder, 'data/master.key'))).toBe(true);

  const account = await sh(blockOf('sh account'));
  expect([account.code, account.err]).toEqual([0, '']);
  const [said, key = ''] = account.out.trim().split('\n');
  expect(said).toBe('Created keeper@skerry.example.');
  const signIn = await fetch(`${env.UNIFERUM_URL}/api/v1/session`, {
    method: 'POST',
    headers: { 'Content-Type': 'application/json' },
    body: JSON.stringify({ email: 'keeper@skerry.example', password: 'a phrase of your own' }),
  });
  expect(signIn.status).toBe(204);
  expect(await (await fetch(`${env.UNIFERUM_URL}/`)).text()).toContain('<title>Uniferum</title>');

  env.UNIFERUM_KEY = key;
  const first = await sh(blockOf('sh first'));
  expect([first.code, first.out]).toEqual([
    0,
    expect.stringContaining(`${env.UNIFERUM_URL}/media/first/flow.png`),
  ]);
  const shown = async () => (await sh('node cli/bin/uniferum.js get /first/flow.png')).out;
  await expect.poll(shown, { timeout: 120_000 }).toContain('/media/first/flow~small.webp');
});

test('what is deployed names files that are there, and every package that a worker needs', () => {
  const packages = [
    'ffmpeg',
    'imagemagick',
    'libimage-exiftool-perl',
    'libjpeg-turbo-progs',
    'libvips-tools',
    'poppler-utils',
  ];
  const container = readFileSync(join(ROOT, 'deploy/Containerfile'), 'utf8');
  for (const one of packages)
    expect([one, container.includes(one), GUIDE.includes(one)]).toEqual([one, true, true]);
  for (const [, file = ''] of GUIDE.matchAll(/(deploy\/[\w.@-]+)/g))
    expect([file, existsSync(join(ROOT, file.replace(/\.$/, '')))]).toEqual([file, true]);
  for (const unit of ['uniferum-server.service', 'uniferum-worker@.service'])
    expect(readFileSync(join(ROOT, 'deploy', unit), 'utf8')).toMatch(
      /ExecStart=\/usr\/bin\/node tools\/start\.mjs (?:server|worker)\n/,
    );
});
