import { createHash } from 'node:crypto';
import { mkdir, readdir, utimes, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { afterAll, afterEach, beforeAll, expect, test, vi } from 'vitest';
import { inTransaction, select } from '../shared/database.js';
import { UniferumError } from '../shared/errors.js';
import { api, bytes, callsOf, collect } from '../testing/calls.js';
import { form, startTestServer, type TestServer } from '../testing/harness.js';
import { rawZip, zip } from '../testing/zip.js';
import { openArchive } from './archive-reader.js';
import { intakeHandler } from './handler.js';
import { rememberDigests } from './inbox-queries.js';
import { planInbox } from './register-inbox.js';
import { refusedVerdict } from './take-in.js';

let server: TestServer;
beforeAll(async () => {
  server = await startTestServer();
});
afterAll(async () => {
  await server.close();
});
afterEach(() => {
  vi.restoreAllMocks();
});
const { assetsOf, filesOf, setRules } = callsOf(() => server);

const upload = (folder: string, names: readonly string[]) =>
  server.call('POST', `${api}/assets`, {
    body: form(
      folder,
      names.map((name) => ({ name, data: bytes(`${folder} ${name}`) })),
    ),
  });
const staged = () => readdir(server.store.scratch());

test('intakes are listed in pages, newest first, each once', async () => {
  for (const name of ['one.txt', 'two.txt', 'three.txt']) await upload('/pages', [name]);
  const all = (await server.call('GET', `${api}/intakes`)).body;
  const paged: string[] = [];
  let next: string | null = null;
  do {
    const cursor: string = next === null ? '' : `&cursor=${encodeURIComponent(next)}`;
    const { body } = await server.call('GET', `${api}/intakes?limit=2${cursor}`);
    expect(body.items.length).toBeLessThanOrEqual(2);
    paged.push(...body.items.map(({ id }: { id: string }) => id));
    next = body.next;
  } while (next !== null);
  expect(paged).toEqual(all.items.map(({ id }: { id: string }) => id));
  expect(paged.map(Number)).toEqual(paged.map(Number).sort((a, b) => b - a));
  expect([all.total, new Set(paged).size]).toEqual([paged.length, paged.length]);
});

test('an intake says by which way its file came', async () => {
  await server.call('POST', `${api}/assets`, { json: { source: 'data:text/plain,tide', folder: '/ways' } });
  const { items } = (await server.call('GET', `${api}/intakes?limit=1`)).body;
  expect(items).toMatchObject([{ way: 'address', folder: '/ways' }]);
  // A private host is refused; what is recorded is the way.
  await server.call('POST', `${api}/assets`, {
    json: { source: 'http://127.0.0.1:9/film', folder: '/ways', as: 'link' },
  });
  const [newest] = (await server.call('GET', `${api}/intakes?limit=1`)).body.items;
  expect(newest).toMatchObject({ way: 'link' });
});

test('nothing stays staged, whatever the verdicts', async () => {
  await setRules('/strict', { deny: ['exe'] });
  const { status } = await upload('/strict', ['a.txt', 'b.exe', 'c.txt']);
  expect(status).toBe(207);
  expect((await upload('/strict', ['d.exe'])).status).toBe(422);
  expect(await staged()).toEqual([]);
});

test('several files are answered in the order in which they were sent, each with what came of it', async () => {
  await setRules('/several', { deny: ['exe'] });
  const { body } = await upload('/several', ['b.txt', 'virus.exe', 'a.txt']);
  expect(
    body.results.map(
      ({ name, status, asset }: { name: string; status: number; asset?: { name: string } }) => [
        name,
        status,
        asset?.name ?? null,
      ],
    ),
  ).toEqual([
    ['b.txt', 201, 'b.txt'],
    ['virus.exe', 422, null],
    ['a.txt', 201, 'a.txt'],
  ]);
});

test("when the store can't keep one of several files, none is taken in, and nothing stays staged", async () => {
  const stage = server.store.stage.bind(server.store);
  let count = 0;
  vi.spyOn(server.store, 'stage').mockImplementation(async (stream, options) => {
    const one = await stage(stream, options);
    count += 1;
    if (count !== 2) return one;
    return { ...one, keep: () => Promise.reject(new UniferumError('store-away', 'The store is away.')) };
  });
  const answer = await upload('/away', ['a.txt', 'b.txt', 'c.txt']);
  expect([answer.status, answer.body.code]).toEqual([503, 'store-away']);
  expect(await assetsOf('/away')).toEqual([]);
  expect(await staged()).toEqual([]);
});

test('what a rule refuses is not kept', async () => {
  await setRules('/unkept', { deny: ['exe'] });
  const stage = server.store.stage.bind(server.store);
  const keep = vi.fn();
  vi.spyOn(server.store, 'stage').mockImplementation(async (stream, options) => ({
    ...(await stage(stream, options)),
    keep,
  }));
  await upload('/unkept', ['virus.exe']);
  expect(keep).not.toHaveBeenCalled();
});

test('of the inbox, what is new is imported; what is refused only when it was selected', async () => {
  await mkdir(server.inbox, { recursive: true });
  await setRules('/box', { deny: ['exe'] });
  for (const name of ['new.txt', 'other.txt', 'virus.exe']) await writeFile(join(server.inbox, name), name);
  const plan = async (paths: string[] | null) => {
    const tools = { ...server.services, inspector: server.processes.inspector };
    const request = { folder: '/box', paths, mode: 'copy' as const, keepFolders: false };
    const { items, totals } = await planInbox(tools as never, request as never);
    return { paths: items.map(({ path }) => path).sort(), taken: totals.taken, left: totals.left };
  };
  expect(await plan(null)).toEqual({ paths: ['new.txt', 'other.txt'], taken: 2, left: 1 });
  expect(await plan(['new.txt', 'virus.exe'])).toEqual({
    paths: ['new.txt', 'virus.exe'],
    taken: 2,
    left: 1,
  });
  expect(await plan([])).toEqual({ paths: [], taken: 0, left: 3 });

  const selected = { folder: '/box', paths: ['new.txt', 'virus.exe'], mode: 'copy' };
  const { body } = await server.call('POST', `${api}/inbox/register`, { json: selected });
  await server.workUntilIdle();
  expect((await filesOf(body.intake.id)).map(({ name, outcome }) => [name, outcome])).toEqual([
    ['new.txt', 'accepted'],
    ['virus.exe', 'refused'],
  ]);
  // What was imported is not imported again, even when it is selected.
  expect(await plan(['new.txt', 'other.txt'])).toMatchObject({ paths: ['other.txt'] });
});

test('a refusal names its file, in at most the length that a name may have', () => {
  const reason = { code: 'incomplete' as const, message: 'm'.repeat(2000) };
  const whole = refusedVerdict('n'.repeat(255), reason);
  expect([whole.name, whole.reasons[0]?.message]).toEqual(['n'.repeat(255), 'm'.repeat(2000)]);
  const cut = refusedVerdict('n'.repeat(256), { ...reason, message: 'm'.repeat(2001) });
  expect([cut.name, cut.reasons[0]?.message]).toEqual([`${'n'.repeat(254)}…`, `${'m'.repeat(1999)}…`]);
  expect(cut).toMatchObject({ outcome: 'refused', reasons: [{ limit: null, actual: null, folder: null }] });
});

test('an archive whose bytes are not in the store is no fault of its entries: the item waits', async () => {
  const { work } = intakeHandler({
    ...server.services,
    ...server.house,
    inspector: server.processes.inspector,
  } as never);
  const input = {
    intake: { id: '1', way: 'archive', who: null },
    files: [
      {
        name: 'dusk.txt',
        folder: '/',
        texts: {},
        capturedAt: null,
        from: { kind: 'archive', sha256: 'a'.repeat(64), entry: 0 },
      },
    ],
  };
  await expect(work(input as never, { signal: new AbortController().signal } as never)).rejects.toMatchObject(
    { code: 'store-away', message: expect.stringContaining('Check that it is mounted') },
  );
});

test('giving up records each file by its name, or by what it came from', async () => {
  const { giveUp } = intakeHandler({ ...server.services, inspector: server.processes.inspector } as never);
  const { body } = await server.call('POST', `${api}/assets`, {
    json: { source: 'data:text/plain,given%20up', folder: '/given-up' },
  });
  expect(body.name).toBe('unnamed.txt');
  const { id } = (await server.call('GET', `${api}/intakes?limit=1`)).body.items[0];
  const of = (name: string | null, from: object) => ({
    name,
    folder: '/given-up',
    texts: {},
    capturedAt: null,
    from,
  });
  const long = `https://skerry.example/${'a'.repeat(97)}`;
  const files = [
    of('named.jpg', { kind: 'inbox', path: 'a/b.jpg', mode: 'copy' }),
    of(null, { kind: 'inbox', path: 'a/b.jpg', mode: 'copy' }),
    of(null, { kind: 'inbox', path: 'plain.jpg', mode: 'copy' }),
    of(null, { kind: 'address', address: long }),
    of(null, { kind: 'address', address: `${long}b` }),
    of(null, { kind: 'archive', sha256: 'a'.repeat(64), entry: 7 }),
  ];
  await inTransaction(
    server.db,
    (tx) =>
      giveUp?.(
        tx,
        { intake: { id, folder: '/given-up', by: 'Edda', via: 'api', way: 'inbox' }, files } as never,
        'The store is away.',
      ) as Promise<void>,
  );
  const recorded = (await filesOf(id)).filter(({ outcome }) => outcome === 'refused');
  expect(recorded.map(({ name }) => name).sort()).toEqual(
    ['named.jpg', 'b.jpg', 'plain.jpg', long, `${long.slice(0, 119)}…`, 'entry 7'].sort(),
  );
});

test('an archive with as many entries as allowed is read; one more, and only their number is', async () => {
  const path = join(server.inbox, '..', 'entries.zip');
  await writeFile(path, await zip({ 'a.txt': bytes('a'), 'b.txt': bytes('b'), 'c.txt': bytes('c') }));
  const all = await openArchive(path, 3);
  expect([all.entries.map(({ name }) => name), all.statedEntries]).toEqual([['a.txt', 'b.txt', 'c.txt'], 3]);
  // It stays open until it is closed, and is closed then.
  const [first] = all.entries;
  expect((await collect(await all.read(first as never))).toString()).toBe('a');
  all.close();
  await expect(all.read(first as never)).rejects.toThrow();
  await writeFile(path, rawZip([{ name: bytes('a.txt'), data: bytes('abc'), statedBytes: 9 }]));
  await expect(openArchive(path, 3)).rejects.toThrow(/size/i);
  await writeFile(path, await zip({ 'a.txt': bytes('a'), 'b.txt': bytes('b'), 'c.txt': bytes('c') }));
  const counted = await openArchive(path, 2);
  expect([counted.entries, counted.statedEntries]).toEqual([[], 3]);
  counted.close();
});

test('a file of the inbox that may be in the library is read once, as long as it stays the same', async () => {
  await server.call('POST', `${api}/assets`, {
    body: form('/digests', [{ name: 'tide.txt', data: bytes('high water') }]),
  });
  await mkdir(join(server.inbox, 'digests'), { recursive: true });
  for (const [name, text] of [
    ['same', 'high water'],
    ['size', 'low  water'],
    ['other', 'fog'],
  ] as const)
    await writeFile(join(server.inbox, `digests/${name}.txt`), text);
  const plan = async () => {
    const tools = { ...server.services, inspector: server.processes.inspector };
    const paths = ['digests/same.txt', 'digests/size.txt', 'digests/other.txt'];
    const request = { folder: '/digests', paths, mode: 'copy' as const, keepFolders: false };
    await planInbox(tools as never, request as never);
    return select<{ path: string; sha256: string }>(
      server.db,
      "SELECT path, sha256 FROM inbox_files WHERE path LIKE 'digests/%' AND sha256 IS NOT NULL ORDER BY path",
    );
  };
  const digestOf = (text: string) => createHash('sha256').update(text).digest('hex');
  const expected = [
    { path: 'digests/same.txt', sha256: digestOf('high water') },
    { path: 'digests/size.txt', sha256: digestOf('low  water') },
  ];
  await rememberDigests(server.db, []);
  expect(await plan()).toEqual(expected);
  await server.db.query("UPDATE inbox_files SET sha256 = REPEAT('0', 64) WHERE path = 'digests/size.txt'");
  // What is remembered is believed, and not read again.
  expect(await plan()).toEqual([expected[0], { path: 'digests/size.txt', sha256: '0'.repeat(64) }]);
  await writeFile(join(server.inbox, 'digests/size.txt'), 'some water');
  await utimes(join(server.inbox, 'digests/size.txt'), 5, 5);
  expect(await plan()).toEqual([expected[0], { path: 'digests/size.txt', sha256: digestOf('some water') }]);
});
