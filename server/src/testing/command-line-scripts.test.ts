import { spawnSync } from 'node:child_process';
import { mkdir, mkdtemp, readdir, readFile, rm, stat, writeFile } from 'node:fs/promises';
import { createServer } from 'node:http';
import type { AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { createEngine } from '../worker.js';
import { photo, startTestServer, type TestServer } from './harness.js';
import { runProgram } from './program.js';
import { zip } from './zip.js';

// The command line in scripts: what it reads, writes, remembers, and answers by its exit code.

const MANIFEST = new URL('../../../cli/package.json', import.meta.url);

let server: TestServer;
let folder: string;
let key: string;
let engine: ReturnType<typeof createEngine>;
beforeAll(async () => {
  server = await startTestServer();
  key = await server.key();
  folder = await mkdtemp(join(tmpdir(), 'uniferum-scripts-'));
  engine = createEngine(server.services, server.house);
  await engine.start();
});
afterAll(async () => {
  await engine.close();
  await rm(folder, { recursive: true, force: true });
  await server.close();
});

const run = (
  args: string[],
  { input, env }: { input?: string | Buffer; env?: Record<string, string | undefined> } = {},
) =>
  runProgram(args, {
    ...{ folder, input },
    env: { UNIFERUM_URL: server.url, UNIFERUM_KEY: key, ...env },
  });
const uniferum = (...args: string[]) => run(args);

async function put(path: string, data: string | Buffer): Promise<void> {
  await mkdir(join(folder, path, '..'), { recursive: true });
  await writeFile(join(folder, path), data);
}
async function deny(path: string, types: string[]): Promise<void> {
  await server.call('POST', '/api/v1/folders', { json: { path } });
  await uniferum('rules', path, '--set', JSON.stringify({ deny: types }));
}
const lines = (text: string) => text.trim().split('\n');

describe('what it remembers', () => {
  const config = () => join(folder, '.config/uniferum/config.json');
  const bare = { UNIFERUM_URL: undefined, UNIFERUM_KEY: undefined };

  test('login stores address and key for its owner alone, and commands use them', async () => {
    const signedIn = await run(['login', server.url], { input: `${key}\n`, env: bare });
    expect([signedIn.code, signedIn.out]).toEqual([0, expect.stringContaining(`Signed in to ${server.url}`)]);
    expect((await stat(config())).mode & 0o777).toBe(0o600);
    expect(JSON.parse(await readFile(config(), 'utf8'))).toEqual({ url: server.url, key });
    const who = await run(['whoami'], { env: bare });
    expect([who.code, who.out]).toEqual([0, expect.stringContaining('library:read')]);
    expect((await run(['ls'], { env: bare })).code).toBe(0);
  });

  test('a stored key is not sent to another server', async () => {
    const seen: (string | undefined)[] = [];
    const other = createServer((request, response) => {
      seen.push(request.headers.authorization);
      response.writeHead(401).end();
    }).listen(0, '127.0.0.1');
    await new Promise((resolve) => other.once('listening', resolve));
    const { code } = await run(
      ['--url', `http://127.0.0.1:${(other.address() as AddressInfo).port}`, 'whoami'],
      { env: bare },
    );
    other.close();
    expect([code, seen]).toEqual([4, [undefined]]);
  });

  test('flags go before variables, and these before what is stored', async () => {
    expect((await run(['whoami'], { env: { ...bare, UNIFERUM_KEY: 'uf_wrong' } })).code).toBe(4);
    expect((await run(['--key', key, 'whoami'], { env: { ...bare, UNIFERUM_KEY: 'uf_wrong' } })).code).toBe(
      0,
    );
  });

  test('a key that is not good is not stored', async () => {
    const before = await readFile(config(), 'utf8');
    const wrong = await run(['login', server.url], { input: 'uf_wrong\n', env: bare });
    expect([wrong.code, await readFile(config(), 'utf8')]).toEqual([4, before]);
    expect((await run(['login', 'nowhere'], { input: `${key}\n`, env: bare })).err).toContain(
      '"nowhere" isn\'t a URL',
    );
  });

  test('a broken configuration says so, and is no obstacle to those who do not need it', async () => {
    await writeFile(config(), '{"url":');
    const broken = await run(['whoami'], { env: bare });
    expect([broken.code, broken.err]).toEqual([1, expect.stringContaining("isn't valid JSON")]);
    expect((await uniferum('whoami')).code).toBe(0);
    expect((await run(['login', server.url], { input: `${key}\n`, env: bare })).code).toBe(0);
    expect((await run(['whoami'], { env: bare })).code).toBe(0);
    await writeFile(config(), 'null');
    expect((await run(['whoami'], { env: bare })).err).toContain("isn't valid JSON");
    expect((await run(['logout'], { env: bare })).out.trim()).toBe('The stored URL and key were deleted.');
    expect((await run(['logout'], { env: bare })).out.trim()).toBe('Nothing was stored.');
  });
});

describe('what it says', () => {
  test('its version, that of the package', async () => {
    const { version } = JSON.parse(await readFile(MANIFEST, 'utf8'));
    expect((await uniferum('--version')).out.trim()).toBe(version);
  });

  test('a line of JSON for each result, or one document', async () => {
    for (const name of ['one', 'two', 'three']) await put(`many/${name}.txt`, name);
    const streamed = await uniferum('--ndjson', 'up', 'many', '--to', '/lines');
    expect(
      lines(streamed.out)
        .map((line) => JSON.parse(line).name)
        .sort(),
    ).toEqual(['one.txt', 'three.txt', 'two.txt']);
    const whole = JSON.parse((await uniferum('--json', 'up', 'many', '--to', '/whole')).out);
    expect([whole.items.length, whole.uploaded]).toEqual([3, 3]);
    const listed = await uniferum('--ndjson', 'ls', '--in', '/lines');
    expect(
      lines(listed.out)
        .map((line) => JSON.parse(line).bytes)
        .sort(),
    ).toEqual([3, 3, 5]);
  });

  test.each(['bash', 'zsh', 'fish'])('the completion for %s, which names every command', async (shell) => {
    const { out, code } = await uniferum('completion', shell);
    expect(code).toBe(0);
    for (const name of ['up', 'mirror', 'get', 'stores', 'completion'])
      expect(out).toMatch(new RegExp(`\\b${name}\\b`));
    expect(out).toContain('skip-existing');
  });

  test('completion that a shell can use', async () => {
    const { out } = await uniferum('completion', 'bash');
    await put('completion.bash', out);
    const asked = (words: string[]) => {
      const script = `source completion.bash; COMP_WORDS=(${words.map((word) => `'${word}'`).join(' ')}); COMP_CWORD=${words.length - 1}; _uniferum; echo "\${COMPREPLY[@]}"`;
      return spawnSync('bash', ['-c', script], { cwd: folder, encoding: 'utf8' }).stdout.trim().split(/\s+/);
    };
    expect(asked(['uniferum', 'mir'])).toEqual(['mirror']);
    expect(asked(['uniferum', '--json', 'mirror', '--de'])).toEqual(['--delete']);
    expect((await uniferum('completion', 'csh')).code).toBe(1);
  });
});

describe('its exit code is 1 where anything was refused', () => {
  test('by an archive', async () => {
    await deny('/packed', ['exe']);
    await put('mixed.zip', await zip({ 'good.txt': Buffer.from('good'), 'bad.exe': Buffer.from('MZ bad') }));
    const { code, err } = await uniferum('up', 'mixed.zip', '--unpack', '--to', '/packed');
    expect([code, err]).toEqual([1, expect.stringContaining('bad.exe  refused')]);
  });

  test('by a manifest', async () => {
    await deny('/listed', ['exe']);
    await put('list.csv', 'url,name\n"data:text/plain,fine",fine.txt\n"data:text/plain,MZ",virus.exe\n');
    const { code, err } = await uniferum('up', 'list.csv', '--manifest', '--to', '/listed');
    expect([code, err]).toEqual([1, expect.stringContaining('virus.exe')]);
  });

  test('from the inbox, in which a wrong path is another thing than nothing new', async () => {
    await mkdir(server.inbox, { recursive: true });
    await deny('/boxed', ['exe']);
    await writeFile(join(server.inbox, 'bad.exe'), 'MZ');
    const refused = await uniferum('inbox', 'bad.exe', '--import', '--to', '/boxed');
    expect([refused.code, refused.err]).toEqual([1, expect.stringContaining('bad.exe  refused')]);
    const wrong = await uniferum('inbox', 'no-such.txt', '--import', '--to', '/boxed');
    expect([wrong.code, wrong.err]).toEqual([
      1,
      expect.stringContaining('The inbox contains no no-such.txt'),
    ]);
    expect((await uniferum('up', 'no-such-file.txt')).err).toContain(
      'There is no file or folder no-such-file.txt',
    );
  });
});

describe('up', () => {
  test('reads standard input under a name', async () => {
    const sent = await run(['up', '-', '--name', 'piped.jpg', '--to', '/piped', '--alt', 'A light'], {
      input: await photo(60, 40),
    });
    expect([sent.code, sent.out]).toEqual([0, expect.stringContaining('piped.jpg  accepted')]);
    const shown = JSON.parse((await uniferum('--json', 'get', '/piped/piped.jpg')).out);
    expect([shown.alt, shown.width]).toEqual(['A light', 60]);
    expect((await run(['up', '-'], { input: 'x' })).err).toContain('with --name');
  });

  test('renames nothing where that is forbidden, neither files nor addresses', async () => {
    await put('kept/a.txt', 'a');
    await put('other/kept/a.txt', 'another');
    await uniferum('up', 'kept', '--to', '/fixed');
    const { code, err } = await uniferum('up', 'other/kept', '--to', '/fixed', '--no-rename');
    expect([code, err]).toEqual([1, expect.stringContaining('a.txt  refused')]);
    const data = ['data:text/plain,x', 'data:text/plain,y'];
    await uniferum('up', ...data, '--to', '/texts', '--alt', 'A tide table');
    const shown = lines((await uniferum('--ndjson', 'ls', '--in', '/texts')).out).map(
      (line) => JSON.parse(line).alt,
    );
    expect(shown).toEqual(['A tide table', 'A tide table']);
    expect((await uniferum('up', 'x.zip', '--unpack', '--no-rename')).err).toContain("can't be combined");
  });

  test('leaves out what is there, and sends what differs or is new', async () => {
    await put('again/same.txt', 'the same');
    await put('again/other.txt', 'one');
    await uniferum('up', 'again', '--to', '/skipped');
    await put('again/other.txt', 'two');
    await put('again/new.txt', 'new');
    const { out } = await uniferum('up', 'again', '--to', '/skipped', '--skip-existing');
    expect(lines(out).map((line) => line.split('  ')[0])).toEqual(['new.txt', 'other.txt']);
    await rm(join(folder, 'again/other.txt'));
    const nothing = await uniferum('up', 'again', '--to', '/skipped', '--skip-existing');
    expect([nothing.code, nothing.out, nothing.err.trim()]).toEqual([
      0,
      '',
      'All files are already in the library.',
    ]);
  });

  test('says what has arrived when the server goes away in the middle', async () => {
    const names = Array.from({ length: 120 }, (_, n) => `f${String(n).padStart(3, '0')}.txt`);
    for (const name of names) await put(`broken/${name}`, name);
    let uploads = 0;
    const flaky = createServer((request, response) => {
      const isUpload = request.method === 'POST' && request.url === '/api/v1/assets';
      if (isUpload) uploads += 1;
      if (uploads > 1) {
        request.socket.destroy();
        return;
      }
      const pieces: Buffer[] = [];
      request.on('data', (piece: Buffer) => pieces.push(piece));
      request.on('end', async () => {
        const {
          'transfer-encoding': _t,
          connection: _c,
          host: _h,
          'content-length': _l,
          ...headers
        } = request.headers;
        const answer = await fetch(`${server.url}${request.url}`, {
          method: request.method ?? 'GET',
          headers: headers as Record<string, string>,
          ...(pieces.length > 0 && { body: Buffer.concat(pieces) as BodyInit }),
        });
        response.writeHead(answer.status, { 'Content-Type': 'application/json' });
        response.end(Buffer.from(await answer.arrayBuffer()));
      });
    }).listen(0, '127.0.0.1');
    await new Promise((resolve) => flaky.once('listening', resolve));
    const url = `http://127.0.0.1:${(flaky.address() as AddressInfo).port}`;
    const { code, out, err } = await uniferum('--url', url, 'up', 'broken', '--to', '/broken');
    flaky.closeAllConnections();
    flaky.close();
    expect([code, lines(out).length]).toEqual([3, 50]);
    expect(err).toContain('50 of 120 files were uploaded. Repeat the command with --skip-existing');
    const rest = await uniferum('up', 'broken', '--to', '/broken', '--skip-existing');
    expect([rest.code, lines(rest.out).length]).toEqual([0, 70]);
  });
});

describe('get', () => {
  test('fetches many into a folder, by ids, paths or a filter, and none replaces another', async () => {
    await put('pair/a/same.txt', 'of a');
    await put('pair/b/same.txt', 'of b');
    await uniferum('up', 'pair', '--to', '/gotten');
    const byPath = await uniferum(
      'get',
      '/gotten/pair/a/same.txt',
      '/gotten/pair/b/same.txt',
      '--out',
      'down',
    );
    expect(byPath.code).toBe(0);
    const names = await readdir(join(folder, 'down'));
    expect(names).toHaveLength(2);
    const texts = await Promise.all(names.map((name) => readFile(join(folder, 'down', name), 'utf8')));
    expect(texts.sort()).toEqual(['of a', 'of b']);
    // Again, nothing is added.
    await uniferum('get', '/gotten/pair/a/same.txt', '/gotten/pair/b/same.txt', '--out', 'down');
    expect(await readdir(join(folder, 'down'))).toEqual(names);
    await uniferum('get', '--filter', 'same', '--in', '/gotten', '--out', 'filtered');
    expect(await readdir(join(folder, 'filtered'))).toHaveLength(2);
    const shown = await uniferum('--ndjson', 'get', '--filter', 'same', '--in', '/gotten');
    expect(lines(shown.out)).toHaveLength(2);
    expect((await run(['get', '/gotten/pair/a/same.txt', '--out', '-'])).out).toBe('of a');
    expect((await uniferum('get', '/gotten/none.txt')).code).toBe(5);
    expect((await uniferum('get')).code).toBe(1);
  });
});

describe('mirror', () => {
  test('makes a folder the same: creates, replaces, leaves alone, and deletes only when it is told to', async () => {
    await put('site/a.txt', 'a');
    await put('site/deep/b.txt', 'b');
    const mirror = (...more: string[]) => uniferum('mirror', 'site', '--to', '/mirrored', ...more);
    expect((await mirror('--rehearse')).err).toContain(
      'Would be: 2 created, 0 replaced, 0 deleted, 0 unchanged',
    );
    expect((await uniferum('ls', '--in', '/mirrored')).code).toBe(5);
    expect((await mirror()).err).toContain('2 created, 0 replaced, 0 deleted, 0 unchanged, 0 refused');
    await put('site/a.txt', 'changed');
    await rm(join(folder, 'site/deep/b.txt'));
    await put('site/c.txt', 'c');
    const second = await mirror();
    expect(lines(second.out).sort()).toEqual(['created  /mirrored/c.txt', 'replaced  /mirrored/a.txt']);
    expect((await uniferum('get', '/mirrored/deep/b.txt')).code).toBe(0);
    expect((await mirror('--delete')).out.trim()).toBe('deleted  /mirrored/deep/b.txt');
    expect((await uniferum('get', '/mirrored/deep/b.txt')).code).toBe(5);
    const quiet = await mirror('--delete');
    expect([quiet.code, quiet.out, quiet.err.trim()]).toEqual([
      0,
      '',
      '0 created, 0 replaced, 0 deleted, 2 unchanged, 0 refused',
    ]);
  });

  test.each(['named', '/named', '/named/', '//named'])('knows the folder %s again', async (to) => {
    await put('plain/deep/a.txt', 'a');
    await uniferum('mirror', 'plain', '--to', '/named');
    const { err, out } = await uniferum('mirror', 'plain', '--to', to, '--delete');
    expect([out, err.trim()]).toEqual(['', '0 created, 0 replaced, 0 deleted, 1 unchanged, 0 refused']);
  });

  test('recognises files whose names the library has to change', async () => {
    const decomposed = 'tïde'.normalize('NFD');
    for (const name of ['a~b.txt', '  spaced  .txt', `${decomposed}.txt`, `${'n'.repeat(230)}.txt`])
      await put(`odd/${name}`, `of ${name}`);
    const mirror = (...more: string[]) => uniferum('mirror', 'odd', '--to', '/odd', ...more);
    expect((await mirror()).err).toContain('4 created');
    for (const more of [[], ['--delete'], ['--rehearse', '--delete']])
      expect((await mirror(...more)).err).toContain(
        '0 created, 0 replaced, 0 deleted, 4 unchanged, 0 refused',
      );
    expect((await uniferum('up', 'odd', '--to', '/', '--skip-existing')).err).toContain(
      'All files are already',
    );
  });

  test('refuses what would have the same name, and what can have no place, and deletes neither', async () => {
    await put('twins/a-b.txt', 'one');
    await put('twins/a~b.txt', 'two');
    await put('twins/bad~folder/c.txt', 'c');
    const mirror = () => uniferum('mirror', 'twins', '--to', '/twins', '--delete');
    const first = await mirror();
    expect([first.code, first.err]).toEqual([1, expect.stringContaining('1 created, 0 replaced, 0 deleted')]);
    expect(first.out).toContain('It would have the same name in the library as twins/a-b.txt');
    expect(first.out).toMatch(/refused {2}\/twins\/bad~folder\/c\.txt {2}.*can't be a folder's name/);
    expect((await mirror()).err).toContain('0 created, 0 replaced, 0 deleted, 1 unchanged, 2 refused');
  });

  test('does not copy again and again what was moved away: its old address still leads to it', async () => {
    await put('moving/a.txt', 'a');
    await uniferum('mirror', 'moving', '--to', '/moving');
    const { id } = JSON.parse((await uniferum('--json', 'get', '/moving/a.txt')).out);
    await uniferum('set', id, '--to', '/elsewhere');
    const { code, out } = await uniferum('mirror', 'moving', '--to', '/moving');
    expect([code, out]).toEqual([1, expect.stringContaining('is or was used by another file')]);
    expect(lines((await uniferum('ls', '--in', '/moving')).out)).toEqual(['']);
  });

  test('tells what is refused, and does the rest', async () => {
    await deny('/strict', ['exe']);
    await put('risky/a.exe', 'MZ');
    await put('risky/b.txt', 'fine');
    const { code, out } = await uniferum('mirror', 'risky', '--to', '/strict');
    expect([code, out]).toEqual([
      1,
      expect.stringMatching(/refused {2}\/strict\/a\.exe[\s\S]*created {2}\/strict\/b\.txt/),
    ]);
  });

  test('deletes nothing because a folder is empty or missing: it may not be mounted', async () => {
    await mkdir(join(folder, 'unmounted'));
    expect((await uniferum('mirror', 'unmounted', '--to', '/mirrored', '--delete')).err).toContain(
      'is empty',
    );
    expect((await uniferum('mirror', 'nowhere', '--to', '/mirrored', '--delete')).err).toContain(
      "nowhere isn't a folder",
    );
    expect((await uniferum('get', '/mirrored/a.txt')).code).toBe(0);
  });
});
