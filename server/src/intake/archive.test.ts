import { execFileSync } from 'node:child_process';
import { mkdir, readFile, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { deflateRawSync } from 'node:zlib';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { api, bytes, callsOf, codes } from '../testing/calls.js';
import { form, photo, startTestServer, type TestServer } from '../testing/harness.js';
import { type RawEntry, rawZip, zip } from '../testing/zip.js';

let server: TestServer;
beforeAll(async () => {
  server = await startTestServer({
    env: { UNIFERUM_ARCHIVE_MAX_ENTRIES: '1000', UNIFERUM_ARCHIVE_MAX_BYTES: '200000000' },
  });
});
afterAll(async () => {
  await server.close();
});
const { filesOf, assetsOf, setRules } = callsOf(() => server);

const sendZip = (folder: string, data: Buffer, fields: Record<string, string> = {}) =>
  server.call('POST', `${api}/assets`, {
    body: form(folder, [{ name: 'views.zip', data }], { unpack: 'true', ...fields }),
  });

describe('an archive', () => {
  test('is unpacked into folders as a run, with a verdict for each file', async () => {
    await setRules('/zip', { deny: ['exe'] });
    const picture = await photo(80, 60, 5);
    const data = await zip({
      'gannet/dusk.jpg': picture,
      'gannet/notes/Überblick.txt': bytes('fog'),
      'virus.exe': bytes('MZ'),
      '__MACOSX/._dusk.jpg': bytes('litter'),
    });
    const { status, body } = await sendZip('/zip', data);
    expect(status).toBe(202);
    await server.workUntilIdle();
    expect(await filesOf(body.intake)).toEqual([
      { name: 'dusk.jpg', outcome: 'accepted', codes: '', bytes: picture.length },
      { name: 'Überblick.txt', outcome: 'accepted', codes: '', bytes: 3 },
      { name: 'virus.exe', outcome: 'refused', codes: 'type-denied', bytes: 2 },
    ]);
    expect((await assetsOf('/zip')).map(({ name, folder }) => `${folder.path}/${name}`).sort()).toEqual([
      '/zip/gannet/dusk.jpg',
      '/zip/gannet/notes/Überblick.txt',
    ]);
    const run = (await server.call('GET', `${api}/runs/${body.run}`)).body;
    expect(run).toMatchObject({ state: 'done', total: 3, done: 2, skipped: 1, failed: 0 });
  });

  test('made by an independent program, with zip64 and in a folder of its own', async () => {
    const folder = join(server.inbox, '..', 'made');
    await mkdir(folder, { recursive: true });
    await writeFile(join(folder, 'tide.txt'), 'high water');
    execFileSync('zip', ['-q', '-fz', 'out.zip', 'tide.txt'], { cwd: folder });
    const { status } = await sendZip('/own', await readFile(join(folder, 'out.zip')), { ownFolder: 'true' });
    expect(status).toBe(202);
    await server.workUntilIdle();
    expect((await assetsOf('/own')).map(({ folder: { path }, name }) => `${path}/${name}`)).toEqual([
      '/own/views/tide.txt',
    ]);
  });

  test.each([
    ['UTF-8 that says so', Buffer.from('Möwe.txt'), 0x800, 'Möwe.txt'],
    ['UTF-8 that does not say so', Buffer.from('Möwe.txt'), 0, 'Möwe.txt'],
    // APPNOTE appendix D: names without the flag are code page 437, in which 0x94 is "ö".
    ['code page 437', Buffer.from([0x4d, 0x94, 0x77, 0x65, 0x2e, 0x74, 0x78, 0x74]), 0, 'Möwe.txt'],
  ])('with names in %s', async (_what, name, flags, expected) => {
    const data = rawZip([{ name, data: bytes(`seen as ${_what}`), flags }]);
    const folder = `/names-${flags}-${name.length}`;
    await sendZip(folder, data);
    await server.workUntilIdle();
    expect((await assetsOf(folder)).map((asset) => asset.name)).toEqual([expected]);
  });

  const text = { name: Buffer.from('a.txt'), data: bytes('a') };
  const bomb = deflateRawSync(Buffer.alloc(30_000_000));
  test.each<[string, RawEntry[], string]>([
    [
      'leads out of the folder',
      [text, { ...text, name: Buffer.from('../../etc/passwd') }],
      '../../etc/passwd',
    ],
    ['leads out with backslashes', [{ ...text, name: Buffer.from('..\\..\\up.txt') }], '..\\..\\up.txt'],
    ['is absolute', [{ ...text, name: Buffer.from('/etc/passwd') }], '/etc/passwd'],
    ['names a drive', [{ ...text, name: Buffer.from('C:\\up.txt') }], 'C:\\up.txt'],
    ['is a link', [{ ...text, attributes: 0xa1ff0000 }], 'a.txt'],
    ['is packed by an unknown method', [{ ...text, method: 99 }], 'a.txt'],
    ['is a bomb', [{ ...text, data: bomb, method: 8, statedBytes: 30_000_000 }], 'a.txt'],
    ['shares bytes with another', [text, { ...text, name: Buffer.from('b.txt'), sharesWith: 0 }], 'b.txt'],
    ['has a name with a zero byte', [{ ...text, name: Buffer.from('a\0.txt') }], 'a\0.txt'],
  ])('with an entry that %s is refused whole, and the entry is named', async (_what, entries, name) => {
    const { status, body } = await sendZip('/hostile', rawZip(entries));
    expect([status, codes(body.verdict)]).toEqual([422, 'archive-unsafe']);
    expect(body.detail).toContain(name);
    expect(await assetsOf('/hostile')).toEqual([]);
  });

  test('that is encrypted, by an independent program, is refused with the name of the entry', async () => {
    const folder = join(server.inbox, '..', 'encrypted');
    await mkdir(folder, { recursive: true });
    await writeFile(join(folder, 'secret.txt'), 'low water');
    execFileSync('zip', ['-q', '-P', 'lamp', 'out.zip', 'secret.txt'], { cwd: folder });
    const { status, body } = await sendZip('/hostile', await readFile(join(folder, 'out.zip')));
    expect([status, codes(body.verdict)]).toEqual([422, 'archive-unsafe']);
    expect(body.detail).toContain('secret.txt: It is encrypted');
  });

  test('with too many entries, cut off, or no archive at all is refused and kept nowhere', async () => {
    const many = await sendZip(
      '/hostile',
      rawZip(Array.from({ length: 1001 }, (_, n) => ({ ...text, name: Buffer.from(`${n}.txt`) }))),
    );
    const whole = await zip({ 'a.txt': bytes('fog'.repeat(1000)) });
    const cut = await sendZip('/hostile', whole.subarray(0, whole.length - 30));
    const none = await sendZip('/hostile', bytes('no archive'));
    expect([many, cut, none].map(({ status, body }) => [status, codes(body.verdict)])).toEqual([
      [422, 'archive-unsafe'],
      [422, 'unreadable'],
      [422, 'unreadable'],
    ]);
    expect(many.body.detail).toContain('1,001 entries');
    expect(await assetsOf('/hostile')).toEqual([]);
  });

  test('of two hundred thousand entries is refused by its directory alone', async () => {
    const many = 200_000;
    const plain = rawZip(
      Array.from({ length: many }, (_, n) => ({ ...text, name: Buffer.from(`${n}.txt`) })),
    );
    const [size, start] = [plain.readUInt32LE(plain.length - 10), plain.readUInt32LE(plain.length - 6)];
    // Beyond 65,535 entries the count stands in the records of zip64. APPNOTE 4.3.14 and 4.3.15.
    const record = Buffer.alloc(56);
    record.writeUInt32LE(0x06064b50);
    record.writeBigUInt64LE(44n, 4);
    for (const at of [24, 32]) record.writeBigUInt64LE(BigInt(many), at);
    record.writeBigUInt64LE(BigInt(size), 40);
    record.writeBigUInt64LE(BigInt(start), 48);
    const locator = Buffer.alloc(20);
    locator.writeUInt32LE(0x07064b50);
    locator.writeBigUInt64LE(BigInt(start + size), 8);
    locator.writeUInt32LE(1, 16);
    const end = Buffer.from(plain.subarray(plain.length - 22));
    end.fill(0xff, 8, 20);
    const data = Buffer.concat([plain.subarray(0, plain.length - 22), record, locator, end]);
    const { status, body } = await sendZip('/hostile', data);
    expect([status, codes(body.verdict)]).toEqual([422, 'archive-unsafe']);
    expect(body.detail).toContain('200,000 entries');
  });

  test('whose entry lies about its size or its checksum loses that entry alone, and says so', async () => {
    const { body } = await sendZip(
      '/lying',
      rawZip([
        { name: Buffer.from('good.txt'), data: bytes('good') },
        {
          name: Buffer.from('long.txt'),
          data: deflateRawSync(bytes('longer than stated')),
          method: 8,
          statedBytes: 3,
        },
        { name: Buffer.from('broken.txt'), data: bytes('broken'), statedCrc: 1 },
      ]),
    );
    await server.workUntilIdle();
    expect(
      (await filesOf(body.intake)).map(({ name, outcome, codes: why }) => [name, outcome, why]).sort(),
    ).toEqual([
      ['broken.txt', 'refused', 'unreadable'],
      ['good.txt', 'accepted', ''],
      ['long.txt', 'refused', 'unreadable'],
    ]);
  });

  test('with a file that is larger than any may be refuses that one for its size, and keeps the others', async () => {
    const small = await startTestServer({
      env: { UNIFERUM_MAX_UPLOAD_BYTES: '100000', UNIFERUM_ARCHIVE_MAX_RATIO: '2000' },
    });
    try {
      // One byte more than is allowed, and as many as are.
      const data = await zip({
        'large.txt': Buffer.alloc(100_001, 'a'),
        'full.txt': Buffer.alloc(100_000, 'b'),
      });
      const { body } = await small.call('POST', `${api}/assets`, {
        body: form('/large', [{ name: 'views.zip', data }], { unpack: 'true' }),
      });
      await small.workUntilIdle();
      expect(await callsOf(() => small).filesOf(body.intake)).toMatchObject([
        { name: 'large.txt', outcome: 'refused', codes: 'too-large' },
        { name: 'full.txt', outcome: 'accepted', bytes: 100_000 },
      ]);
    } finally {
      await small.close();
    }
  });

  test('is the only one of its request: it is unpacked, and the next one has to be sent by itself', async () => {
    const data = await zip({ 'one.txt': bytes('the only one') });
    const { status, body } = await server.call('POST', `${api}/assets`, {
      body: form(
        '/two',
        [
          { name: 'one.zip', data },
          { name: 'two.zip', data },
        ],
        { unpack: 'true' },
      ),
    });
    const [run] = (await server.call('GET', `${api}/runs?limit=1`)).body.items;
    expect([status, body.detail]).toEqual([
      400,
      expect.stringContaining(`is being unpacked by run ${run.id};`),
    ]);
    expect(run.title).toContain('one.zip');
    await server.workUntilIdle();
    expect((await assetsOf('/two')).map(({ name }) => name)).toEqual(['one.txt']);
  });

  test('with the same name twice keeps both', async () => {
    const { body } = await sendZip('/twice', rawZip([text, { ...text, data: bytes('b') }]));
    await server.workUntilIdle();
    expect((await filesOf(body.intake)).map(({ outcome, codes: why }) => [outcome, why])).toEqual([
      ['accepted', ''],
      ['warned', 'name-taken'],
    ]);
    expect((await assetsOf('/twice')).map(({ name }) => name)).toEqual(['a-2.txt', 'a.txt']);
  });
});
