import { execFile } from 'node:child_process';
import { mkdir, mkdtemp, readFile, rm, symlink, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { afterAll, beforeAll, expect, test } from 'vitest';
import { recipe } from '../../server/src/testing/derived.js';
import { photo, startTestServer, type TestServer } from '../../server/src/testing/harness.js';
import { createEngine } from '../../server/src/worker.js';

// The example scripts, run as their first lines say.

const ROOT = fileURLToPath(new URL('../..', import.meta.url));
let server: TestServer;
let engine: ReturnType<typeof createEngine>;
let folder: string;
let key: string;
beforeAll(async () => {
  server = await startTestServer();
  engine = createEngine(server.services, server.house);
  await engine.start();
  key = await server.key();
  folder = await mkdtemp(join(tmpdir(), 'uniferum-examples-'));
  await mkdir(join(folder, 'photos'));
  await mkdir(join(folder, 'bin'));
  await symlink(join(ROOT, 'cli/bin/uniferum.js'), join(folder, 'bin/uniferum'));
  for (const n of [1, 2]) await writeFile(join(folder, 'photos', `view-${n}.jpg`), await photo(200, 150, n));
  await server.call('POST', '/api/v1/recipes', { json: recipe('card', '/lights', 60) });
});
afterAll(async () => {
  await engine.close();
  await rm(folder, { recursive: true, force: true });
  await server.close();
});

function run(command: string, args: string[]): Promise<{ code: number; out: string; err: string }> {
  const env = {
    ...process.env,
    ...{ UNIFERUM_URL: server.url, UNIFERUM_KEY: key, PATH: `${join(folder, 'bin')}:${process.env.PATH}` },
  };
  return new Promise((resolve) => {
    execFile(command, args, { env, cwd: folder }, (error, out, err) =>
      resolve({ code: typeof error?.code === 'number' ? error.code : 0, out, err }),
    );
  });
}

test('the script imports a folder, waits for renditions, and leaves alone what is there', async () => {
  const script = join(ROOT, 'examples/node-script/import-folder.mjs');
  const first = await run(process.execPath, [script, 'photos', '/lights/new', 'card']);
  expect([first.code, first.err.trim()]).toEqual([0, '2 created, 0 replaced, 0 unchanged, 0 refused']);
  expect(first.out.trim().split('\n')).toEqual([
    'name,address,rendition',
    ...[1, 2].map(
      (n) =>
        `"view-${n}.jpg","${server.url}/media/lights/new/view-${n}.jpg","${server.url}/media/lights/new/view-${n}~card.jpg"`,
    ),
  ]);
  await writeFile(join(folder, 'photos/view-2.jpg'), await photo(200, 150, 9));
  await writeFile(join(folder, 'photos/empty.jpg'), '');
  const second = await run(process.execPath, [script, 'photos', '/lights/new']);
  expect([second.code, second.err]).toEqual([
    1,
    expect.stringContaining('0 created, 1 replaced, 1 unchanged, 1 refused'),
  ]);
  expect(second.err).toContain('empty.jpg is empty');
  await rm(join(folder, 'photos/empty.jpg'));
  expect((await run(process.execPath, [script])).code).toBe(2);
});

test('the shell script mirrors, keeps a log, and tells what was refused', async () => {
  const script = join(ROOT, 'examples/shell/nightly.sh');
  expect(await run('sh', [script, 'photos', '/nights'])).toEqual({ code: 0, out: '', err: '' });
  const log = (await readFile(join(folder, 'nightly.ndjson'), 'utf8')).trim().split('\n');
  expect(log.map((line) => JSON.parse(line))).toEqual([
    { path: '/nights/view-1.jpg', action: 'created' },
    { path: '/nights/view-2.jpg', action: 'created' },
  ]);
  await writeFile(join(folder, 'photos/empty.jpg'), '');
  const refused = await run('sh', [script, 'photos', '/nights']);
  expect([refused.code, refused.out]).toEqual([1, expect.stringContaining('empty.jpg')]);
  await rm(join(folder, 'photos/empty.jpg'));
  expect((await run('sh', [script])).code).not.toBe(0);
});
