import { randomUUID } from 'node:crypto';
import {
  appendFile,
  type FileHandle,
  mkdir,
  mkdtemp,
  open,
  readdir,
  readFile,
  rename,
  rm,
  stat,
  symlink,
  utimes,
  writeFile,
} from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, inject, test, vi } from 'vitest';
import { findBroken } from '../house/invariants.js';
import { api, bytes, callsOf } from '../testing/calls.js';
import { form, startTestServer, type TestServer } from '../testing/harness.js';

let server: TestServer;
beforeAll(async () => {
  server = await startTestServer();
});
afterAll(async () => {
  await server.close();
});
const { assetsOf, setRules } = callsOf(() => server);

describe('the inbox', () => {
  const put = async (path: string, data: string | Buffer) => {
    const full = join(server.inbox, path);
    await mkdir(join(full, '..'), { recursive: true });
    await writeFile(full, data);
    return full;
  };
  const scan = async (folder: string) =>
    (await server.call('GET', `${api}/inbox?folder=${folder}`)).body.items as {
      path: string;
      state: string;
      folder: string;
      registeredAs: { url: string } | null;
      verdict: { reasons: { code: string }[] } | null;
    }[];
  const register = (json: object) => server.call('POST', `${api}/inbox/register`, { json });
  const clear = async () => {
    await rm(server.inbox, { recursive: true, force: true });
    await mkdir(server.inbox);
  };

  test('keeps folders where nothing else is asked for, and takes no paths that are longer than any', async () => {
    await clear();
    for (const path of ['one/a.txt', 'two/b.txt']) await put(path, `kept ${path}`);
    const tooLong = await register({ folder: '/kept', paths: ['x'.repeat(2001)] });
    expect([tooLong.status, tooLong.body.errors[0].field]).toEqual([400, 'paths.0']);
    await register({ folder: '/kept', paths: ['one/a.txt', 'two/b.txt'] });
    await server.workUntilIdle();
    const placed = (await assetsOf('/kept')).map(({ folder, name }) => `${folder.path}/${name}`);
    expect(placed.sort()).toEqual(['/kept/one/a.txt', '/kept/two/b.txt']);
    await put('three/c.txt', 'not kept');
    await register({ folder: '/flat', keepFolders: false, paths: ['three/c.txt'] });
    await server.workUntilIdle();
    expect((await assetsOf('/flat')).map(({ folder }) => folder.path)).toEqual(['/flat']);
    await clear();
  });

  test('says which files still find room: those that are refused or known take none', async () => {
    await clear();
    await setRules('/room', { maxItems: 2, deny: ['exe'] });
    await server.call('POST', `${api}/assets`, {
      body: form('/elsewhere', [{ name: 'known.txt', data: bytes('known') }]),
    });
    for (const name of ['a.exe', 'c.txt', 'd.txt', 'e.txt']) await put(name, `bytes of ${name}`);
    await put('b.txt', 'known');
    const states = (await scan('/room')).map(({ path, state }) => `${path} ${state}`);
    expect(states).toEqual(['a.exe refused', 'b.txt registered', 'c.txt new', 'd.txt new', 'e.txt refused']);
    await clear();
  });

  describe('when it is moved, and a file', () => {
    /** Moves one file, with something that happens to it after it was read. */
    async function moveWhile(folder: string, happens: (path: string) => Promise<unknown>) {
      await clear();
      const path = await put('a.txt', `first of ${folder}`);
      await register({ folder, mode: 'move' });
      const importLocalFile = server.store.importLocalFile.bind(server.store);
      const spy = vi.spyOn(server.store, 'importLocalFile').mockImplementation(async (...how) => {
        const staged = await importLocalFile(...how);
        await happens(path);
        return staged;
      });
      try {
        await server.workUntilIdle();
      } finally {
        spy.mockRestore();
      }
      const [asset] = (await assetsOf(folder)) as unknown as { id: string }[];
      const content = await server.call('GET', `${api}/assets/${asset?.id}/content`);
      return { kept: content.bytes.toString(), left: await readdir(server.inbox), path };
    }

    test('stays as it was, it is gone', async () => {
      const { kept, left } = await moveWhile('/m/plain', async () => {});
      expect([kept, left]).toEqual(['first of /m/plain', []]);
    });

    test('is replaced by a rename, the new one stays and comes in next', async () => {
      const { kept, left, path } = await moveWhile('/m/replaced', async (at) => {
        await writeFile(`${at}.new`, 'second of /m/replaced');
        await rename(`${at}.new`, at);
      });
      expect([kept, left]).toEqual(['first of /m/replaced', ['a.txt']]);
      expect((await readFile(path)).toString()).toBe('second of /m/replaced');
      expect((await scan('/m/replaced')).map(({ state }) => state)).toEqual(['new']);
    });

    test('is replaced by one of the same size and time, the new one stays', async () => {
      const { left } = await moveWhile('/m/alike', async (at) => {
        const { atime, mtime, size } = await stat(at);
        await writeFile(`${at}.new`, 'x'.repeat(size));
        await utimes(`${at}.new`, atime, mtime);
        await rename(`${at}.new`, at);
      });
      expect(left).toEqual(['a.txt']);
    });

    test('is written further, it stays whole, and what was taken in is what was read', async () => {
      const { kept, left, path } = await moveWhile('/m/longer', (at) => appendFile(at, ' and more'));
      expect([kept, left]).toEqual(['first of /m/longer', ['a.txt']]);
      expect((await readFile(path)).toString()).toBe('first of /m/longer and more');
    });

    test('is written further by somebody who had it open, the store keeps what was read', async () => {
      let late: FileHandle | null = null;
      const { kept, left } = await moveWhile('/m/open', async (at) => {
        late = await open(at, 'a');
      });
      expect(left).toEqual([]);
      await (late as FileHandle | null)?.appendFile(' too late');
      await (late as FileHandle | null)?.close();
      expect(kept).toBe('first of /m/open');
      expect(await findBroken(server.db, server.store, { hash: true })).toEqual([]);
    });

    test('was renamed aside by a worker that died, it is gone as well', async () => {
      const { left } = await moveWhile('/m/aside', (at) =>
        rename(at, at.replace('a.txt', `.a.txt.${randomUUID()}`)),
      );
      expect(left).toEqual([]);
    });

    test('is gone already, nothing is said and nothing fails', async () => {
      const { kept, left } = await moveWhile('/m/gone', (at) => rm(at));
      expect([kept, left]).toEqual(['first of /m/gone', []]);
    });
  });

  test('shows what is new, refused, registered and still being written', async () => {
    await clear();
    await setRules('/inbox-states', { deny: ['exe'] });
    await server.call('POST', `${api}/assets`, {
      body: form('/inbox-states', [{ name: 'here.txt', data: bytes('here already') }]),
    });
    await put('gannet/new.txt', 'something new');
    await put('same.txt', 'here already');
    await put('bad.exe', 'MZ');
    await put('coming.jpg.part', 'half');
    await put('.hidden', 'x');
    await put('.trash/old.txt', 'thrown away');
    await put('left.', 'of a name that ends with a dot');
    expect((await scan('/inbox-states')).map(({ path, state, folder }) => [path, state, folder])).toEqual([
      ['bad.exe', 'refused', '/inbox-states'],
      ['coming.jpg.part', 'writing', '/inbox-states'],
      ['gannet/new.txt', 'new', '/inbox-states/gannet'],
      ['left.', 'new', '/inbox-states'],
      ['same.txt', 'registered', '/inbox-states'],
    ]);
  });

  // In a bucket nothing stays where it is: other hosts could not read it.
  test.skipIf(inject('homeBucket'))(
    'gives what is ticked: copied, moved or registered in place; a second press does nothing twice',
    async () => {
      await clear();
      const copied = await put('a.txt', 'copied');
      const moved = await put('b.txt', 'moved');
      const placed = await put('c.txt', 'placed');
      const plan = await server.call('POST', `${api}/inbox/register?rehearse=true`, {
        json: { folder: '/box', paths: ['a.txt'] },
      });
      expect(plan.body.plan.totals).toEqual({ taken: 1, bytes: 6, left: 2 });
      const first = await register({ folder: '/box', paths: ['a.txt'], mode: 'copy' });
      const second = await register({ folder: '/box', paths: ['a.txt'], mode: 'copy' });
      expect([first.status, second.status, second.body]).toEqual([202, 200, { intake: null, run: null }]);
      await register({ folder: '/box', paths: ['b.txt'], mode: 'move' });
      await register({ folder: '/box', paths: ['c.txt'], mode: 'place' });
      await server.workUntilIdle();
      expect((await register({ folder: '/box' })).body.run).toBeNull();
      const assets = await assetsOf('/box');
      expect(assets.map(({ name }) => name)).toEqual(['a.txt', 'b.txt', 'c.txt']);
      expect(
        assets.map(({ copies }) => (copies as { store: string }[]).map(({ store }) => store).join()),
      ).toEqual(['server', 'server', 'inbox']);
      await expect(stat(copied)).resolves.toBeDefined();
      await expect(stat(moved)).rejects.toThrow();
      const content = async () => server.call('GET', `/media/box/c.txt`, { key: null });
      expect((await content()).bytes.toString()).toBe('placed');
      // What lies in place and is changed there is not the same file any more: it is missing, and never shown as another.
      await writeFile(placed, 'changed behind its back');
      await utimes(placed, new Date(0), new Date(0));
      expect((await content()).status).toBe(500);
    },
  );

  test('takes more than a thousand files in, each once, also when it is pressed twice at the same moment', async () => {
    await clear();
    await Promise.all(
      Array.from({ length: 1200 }, (_, n) => put(`many/${n % 10}/${n}.txt`, `file number ${n}`)),
    );
    const presses = await Promise.all([register({ folder: '/many' }), register({ folder: '/many' })]);
    expect(presses.map(({ status }) => status).sort()).toEqual([200, 202]);
    await server.workUntilIdle();
    const began = presses.find(({ status }) => status === 202)?.body;
    const intake = (await server.call('GET', `${api}/intakes/${began.intake.id}`)).body;
    expect(intake).toMatchObject({ accepted: 1200, warned: 0, refused: 0, way: 'inbox' });
    const run = (await server.call('GET', `${api}/runs/${began.run.id}`)).body;
    expect(run).toMatchObject({ state: 'done', total: 1200, done: 1200 });
    const { total } = (await server.call('GET', `${api}/assets?folder=/many&deep=true&limit=1`)).body;
    expect(total).toBe(1200);
    expect(new Set((await scan('/many')).map(({ state }) => state))).toEqual(new Set(['registered']));
  });

  test('lets no path lead out of it', async () => {
    const { status } = await register({ folder: '/box', paths: ['../../etc/passwd'] });
    expect(status).toBe(400);
  });

  test('follows no link, neither by itself nor for a manifest', async () => {
    await clear();
    const outside = await mkdtemp(join(tmpdir(), 'uniferum-outside-'));
    await writeFile(join(outside, 'secret.txt'), 'of somebody else');
    await symlink(outside, join(server.inbox, 'shelf'));
    await symlink(join(outside, 'secret.txt'), join(server.inbox, 'secret.txt'));
    expect(await scan('/box')).toEqual([]);
    const manifest = await server.call('POST', `${api}/intake/manifest`, {
      json: { content: 'path\nshelf/secret.txt\nsecret.txt\n', folder: '/box' },
    });
    expect(manifest.status).toBe(422);
    // A file that was there when it was ticked, and is a link when its turn comes.
    await put('turned.txt', 'my own');
    const { body } = await register({ folder: '/turned' });
    await rm(join(server.inbox, 'turned.txt'));
    await symlink(join(outside, 'secret.txt'), join(server.inbox, 'turned.txt'));
    await server.workUntilIdle();
    expect(await assetsOf('/turned')).toEqual([]);
    const report = await server.call('GET', `${api}/intakes/${body.intake.id}/files`);
    expect(report.body.items[0].verdict.reasons[0].message).toContain('is a symbolic link');
    await clear();
  });
});
