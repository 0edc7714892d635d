import { execFileSync } from 'node:child_process';
import { mkdir, mkdtemp, readdir, readFile, rm, stat, symlink, utimes, writeFile } from 'node:fs/promises';
import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http';
import type { AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { crc32, deflateRawSync } from 'node:zlib';
import { Webhook } from 'standardwebhooks';
import * as tus from 'tus-js-client';
import { afterAll, beforeAll, describe, expect, test, vi } from 'vitest';
import yazl from 'yazl';
import { form, photo, startTestServer, type TestServer } from '../testing/harness.js';
import { checkSecret } from './custom-check.js';

let server: TestServer;
let outside: Server;
let site: string;
/** What the outside site answers, by path. */
const pages = new Map<string, (req: IncomingMessage, res: ServerResponse) => void>();

beforeAll(async () => {
  outside = createServer((req, res) => {
    const page = pages.get(new URL(req.url ?? '/', 'http://x').pathname);
    if (page) page(req, res);
    else res.writeHead(404).end();
  });
  await new Promise<void>((resolve) => outside.listen(0, '127.0.0.1', resolve));
  const host = `127.0.0.1:${(outside.address() as AddressInfo).port}`;
  site = `http://${host}`;
  server = await startTestServer({
    env: {
      UNIFERUM_ALLOWED_HOSTS: host,
      UNIFERUM_ARCHIVE_MAX_ENTRIES: '1000',
      UNIFERUM_ARCHIVE_MAX_BYTES: '200000000',
    },
  });
});
afterAll(async () => {
  outside.closeAllConnections();
  outside.close();
  await server.close();
});

const api = '/api/v1';
const bytes = (text: string) => Buffer.from(text);
const codes = (verdict: { reasons: { code: string }[] }) => verdict.reasons.map(({ code }) => code).join();

async function filesOf(
  intake: string,
): Promise<{ name: string; outcome: string; codes: string; bytes: number }[]> {
  const { body } = await server.call('GET', `${api}/intakes/${intake}/files?limit=500`);
  return body.items.map(
    (file: { verdict: { name: string; outcome: string; reasons: { code: string }[] }; bytes: number }) => ({
      name: file.verdict.name,
      outcome: file.verdict.outcome,
      codes: codes(file.verdict),
      bytes: file.bytes,
    }),
  );
}

async function assetsOf(
  folder: string,
  deep = true,
): Promise<{ name: string; folder: { path: string }; [key: string]: unknown }[]> {
  const { body } = await server.call(
    'GET',
    `${api}/assets?folder=${encodeURIComponent(folder)}&deep=${deep}&sort=name&limit=500`,
  );
  return body.items ?? [];
}

async function setRules(path: string, rules: object): Promise<void> {
  const { id } = (await server.call('POST', `${api}/folders`, { json: { path } })).body;
  await server.call('PUT', `${api}/folders/${id}/rules`, { json: rules });
}

/** Makes an archive with a general writer. */
function zip(files: Record<string, Buffer>): Promise<Buffer> {
  const writer = new yazl.ZipFile();
  for (const [name, data] of Object.entries(files)) writer.addBuffer(data, name);
  writer.end();
  return collect(writer.outputStream);
}

async function collect(stream: NodeJS.ReadableStream): Promise<Buffer> {
  const parts: Buffer[] = [];
  for await (const part of stream) parts.push(part as Buffer);
  return Buffer.concat(parts);
}

interface RawEntry {
  name: Buffer;
  data: Buffer;
  flags?: number;
  method?: number;
  attributes?: number;
  statedBytes?: number;
  statedCrc?: number;
  /** Points to the local header of the entry with this index. */
  sharesWith?: number;
}

/** Writes an archive byte by byte (APPNOTE 4.3), so that it can lie. */
function rawZip(entries: RawEntry[]): Buffer {
  const parts: Buffer[] = [];
  const offsets: number[] = [];
  let at = 0;
  const push = (part: Buffer) => {
    parts.push(part);
    at += part.length;
  };
  const shared = (entry: RawEntry) => {
    const fields = Buffer.alloc(22);
    fields.writeUInt16LE(20, 0);
    fields.writeUInt16LE(entry.flags ?? 0, 2);
    fields.writeUInt16LE(entry.method ?? 0, 4);
    fields.writeUInt32LE(entry.statedCrc ?? crc32(entry.data), 10);
    fields.writeUInt32LE(entry.data.length, 14);
    fields.writeUInt32LE(entry.statedBytes ?? entry.data.length, 18);
    return fields;
  };
  for (const [index, entry] of entries.entries()) {
    offsets[index] = entry.sharesWith === undefined ? at : (offsets[entry.sharesWith] ?? 0);
    if (entry.sharesWith !== undefined) continue;
    const head = Buffer.alloc(4);
    head.writeUInt32LE(0x04034b50);
    const tail = Buffer.alloc(4);
    tail.writeUInt16LE(entry.name.length, 0);
    push(Buffer.concat([head, shared(entry), tail, entry.name, entry.data]));
  }
  const start = at;
  for (const [index, entry] of entries.entries()) {
    const head = Buffer.alloc(6);
    head.writeUInt32LE(0x02014b50);
    head.writeUInt16LE(0x031e, 4);
    const tail = Buffer.alloc(18);
    tail.writeUInt16LE(entry.name.length, 0);
    tail.writeUInt32LE(entry.attributes ?? 0, 10);
    tail.writeUInt32LE(offsets[index] ?? 0, 14);
    push(Buffer.concat([head, shared(entry), tail, entry.name]));
  }
  const end = Buffer.alloc(22);
  end.writeUInt32LE(0x06054b50);
  end.writeUInt16LE(entries.length & 0xffff, 8);
  end.writeUInt16LE(entries.length & 0xffff, 10);
  end.writeUInt32LE(at - start, 12);
  end.writeUInt32LE(start, 16);
  return Buffer.concat([...parts, end]);
}

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

  test('with the same name twice keeps both', async () => {
    const { body } = await sendZip('/twice', rawZip([text, { ...text, data: bytes('b') }]));
    await server.workUntilIdle();
    expect((await filesOf(body.intake)).map(({ outcome, codes: why }) => [outcome, why])).toEqual([
      ['accepted', ''],
      ['remarked', 'name-taken'],
    ]);
    expect((await assetsOf('/twice')).map(({ name }) => name)).toEqual(['a-2.txt', 'a.txt']);
  });
});

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
    expect((await scan('/inbox-states')).map(({ path, state, folder }) => [path, state, folder])).toEqual([
      ['bad.exe', 'refused', '/inbox-states'],
      ['coming.jpg.part', 'writing', '/inbox-states'],
      ['gannet/new.txt', 'new', '/inbox-states/gannet'],
      ['same.txt', 'registered', '/inbox-states'],
    ]);
  });

  test('gives what is ticked: copied, moved or registered in place; a second press does nothing twice', async () => {
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
  });

  test('takes five thousand files in, each once, also when it is pressed twice at the same moment', async () => {
    await clear();
    await Promise.all(
      Array.from({ length: 5000 }, (_, n) => put(`many/${n % 10}/${n}.txt`, `file number ${n}`)),
    );
    const presses = await Promise.all([register({ folder: '/many' }), register({ folder: '/many' })]);
    expect(presses.map(({ status }) => status).sort()).toEqual([200, 202]);
    await server.workUntilIdle();
    const began = presses.find(({ status }) => status === 202)?.body;
    const intake = (await server.call('GET', `${api}/intakes/${began.intake.id}`)).body;
    expect(intake).toMatchObject({ accepted: 5000, remarked: 0, refused: 0, way: 'inbox' });
    const run = (await server.call('GET', `${api}/runs/${began.run.id}`)).body;
    expect(run).toMatchObject({ state: 'done', total: 5000, done: 5000 });
    const { total } = (await server.call('GET', `${api}/assets?folder=/many&deep=true&limit=1`)).body;
    expect(total).toBe(5000);
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
    expect(report.body.items[0].verdict.reasons[0].message).toContain('is a link');
    await clear();
  });
});

describe('an address', () => {
  const fetchOne = (source: string, more: object = {}) =>
    server.call('POST', `${api}/assets`, { json: { source, folder: '/fetched', ...more } });

  test('is fetched, with redirects, a name from its header and the texts sent along', async () => {
    const picture = await photo(50, 40, 9);
    pages.set('/moved', (_req, res) => res.writeHead(302, { location: '/dusk' }).end());
    pages.set('/dusk', (_req, res) =>
      res
        .writeHead(200, {
          'content-type': 'image/jpeg',
          'content-disposition': "attachment; filename*=UTF-8''M%C3%B6we.jpg",
        })
        .end(picture),
    );
    const { status, body } = await fetchOne(`${site}/moved`, { alt: 'A gull' });
    expect([status, body.name, body.alt, body.bytes]).toEqual([201, 'Möwe.jpg', 'A gull', picture.length]);
  });

  test.each([
    // RFC 2397, section 4.
    ['data:,A%20brief%20note', 'text/plain', 'A brief note'],
    ['data:text/plain;base64,Zm9n', 'text/plain', 'fog'],
  ])('can be a data URI: %s', async (uri, mime, content) => {
    const { body } = await fetchOne(uri, { name: `${content.length}.txt` });
    expect([
      body.mime,
      (await server.call('GET', body.url.slice(server.url.length))).bytes.toString(),
    ]).toEqual([mime, content]);
  });

  test.each<[string, string | (() => string), RegExp]>([
    ['leads to loopback', 'http://127.0.0.2:9/', /private network/],
    ['leads to loopback by name', 'http://localhost:9/', /private network/],
    ['leads to a private network', 'http://10.0.0.1/', /private network/],
    ['leads to link-local metadata', 'http://169.254.169.254/latest', /private network/],
    ['leads to loopback over IPv6', 'http://[::1]:9/', /private network/],
    ['leads to loopback, mapped', 'http://[::ffff:127.0.0.1]:9/', /private network/],
    ['is written as one number', 'http://2130706433:9/', /private network/],
    ['redirects to loopback', () => `${site}/to-loopback`, /private network/],
    ['redirects without end', () => `${site}/round`, /redirected more than/],
    ['is not there', () => `${site}/nothing`, /status 404/],
    ['answers with a web page', () => `${site}/page`, /web page/],
    ['states more than it sends', () => `${site}/liar`, /broke off|stated/],
    ['is a local file', 'file:///etc/passwd', /no protocol/],
    ['holds a password', 'http://a:b@skerry.example/', /password/],
    ['is a broken data URI', 'data:text/plain;base64,%%%', /data URI/],
  ])('that %s is refused with the reason', async (_what, address, reason) => {
    pages.set('/to-loopback', (_req, res) => res.writeHead(302, { location: 'http://127.0.0.2:9/' }).end());
    pages.set('/round', (_req, res) => res.writeHead(302, { location: '/round' }).end());
    pages.set('/page', (_req, res) =>
      res.writeHead(200, { 'content-type': 'text/html' }).end('<h1>Sorry</h1>'),
    );
    pages.set('/liar', (_req, res) => {
      res.writeHead(200, { 'content-length': '1000', 'content-type': 'image/jpeg' });
      res.write('short');
      setImmediate(() => res.destroy());
    });
    const { status, body } = await fetchOne(typeof address === 'string' ? address : address());
    expect([status, codes(body.verdict)]).toEqual([422, 'address-failed']);
    expect(body.detail).toMatch(reason);
  });

  test('that never ends is broken off at the limit, and nothing of it is kept', async () => {
    const small = await startTestServer({
      env: { UNIFERUM_ALLOWED_HOSTS: new URL(site).host, UNIFERUM_MAX_UPLOAD_BYTES: '200000' },
    });
    try {
      pages.set('/endless', (_req, res) => {
        res.writeHead(200, { 'content-type': 'image/jpeg' });
        const more = () => {
          while (!res.destroyed && res.write(Buffer.alloc(65_536)));
          if (!res.destroyed) res.once('drain', more);
        };
        more();
      });
      const { status, body } = await small.call('POST', `${api}/assets`, {
        json: { source: `${site}/endless` },
      });
      expect([status, codes(body.verdict)]).toEqual([422, 'address-failed']);
      expect(body.detail).toContain('more than 200 kB');
      expect((await small.call('GET', `${api}/assets?folder=/&deep=true`)).body.total).toBe(0);
    } finally {
      await small.close();
    }
  });

  test('a list of them becomes a batch with a verdict for each', async () => {
    pages.set('/one.txt', (_req, res) => res.writeHead(200, { 'content-type': 'text/plain' }).end('one'));
    const { status, body } = await server.call('POST', `${api}/intake/addresses`, {
      json: { folder: '/list', addresses: [`${site}/one.txt`, `${site}/missing.txt`, 'data:,three'] },
    });
    expect(status).toBe(202);
    await server.workUntilIdle();
    expect((await filesOf(body.intake.id)).map(({ outcome, codes: why }) => [outcome, why]).sort()).toEqual([
      ['accepted', ''],
      ['accepted', ''],
      ['refused', 'address-failed'],
    ]);
    const report = await server.call('GET', `${api}/intakes/${body.intake.id}/report`);
    expect(report.bytes.toString().split('\r\n')[0]).toBe('name,outcome,reasons,codes,bytes,asset,url,at');
    expect(report.bytes.toString().trim().split('\r\n')).toHaveLength(4);
    const json = JSON.parse(
      (await server.call('GET', `${api}/intakes/${body.intake.id}/report?format=json`)).bytes.toString(),
    );
    expect(json.files).toHaveLength(3);
  });
});

describe('a link', () => {
  const describeAs = (oembed: object) => {
    pages.set('/film', (_req, res) =>
      res
        .writeHead(200, { 'content-type': 'text/html' })
        .end(
          '<html><head><link rel="alternate" type="application/json+oembed" href="/oembed?x=1&amp;y=2"></head></html>',
        ),
    );
    pages.set('/oembed', (_req, res) =>
      res.writeHead(200, { 'content-type': 'application/json' }).end(JSON.stringify(oembed)),
    );
  };

  test('is kept with title, size and preview, found by discovery', async () => {
    const preview = await photo(320, 180, 3);
    pages.set('/still.jpg', (_req, res) => res.writeHead(200, { 'content-type': 'image/jpeg' }).end(preview));
    describeAs({
      version: '1.0',
      type: 'video',
      title: 'The lamp turns',
      author_name: 'Isbel Crane',
      provider_name: 'Farrow Film',
      html: '<iframe src="https://film.example/e/1"></iframe>',
      width: 640,
      height: 360,
      thumbnail_url: `${site}/still.jpg`,
    });
    const { status, body } = await server.call('POST', `${api}/assets`, {
      json: { source: `${site}/film`, folder: '/links', as: 'link' },
    });
    expect(status).toBe(201);
    expect(body).toMatchObject({
      kind: 'link',
      title: 'The lamp turns',
      credit: 'Isbel Crane',
      width: 640,
      link: { address: `${site}/film`, type: 'video', provider: 'Farrow Film' },
    });
    const { url } = body.renditions.find(({ recipe }: { recipe: string }) => recipe === 'preview');
    const shown = await server.call('GET', url.slice(server.url.length), { key: null });
    expect([shown.status, shown.headers.get('content-type')]).toEqual([200, 'image/webp']);
  });

  test('to a page that describes nothing, or describes it wrongly, is refused', async () => {
    pages.set('/plain', (_req, res) =>
      res.writeHead(200, { 'content-type': 'text/html' }).end('<title>x</title>'),
    );
    const plain = await server.call('POST', `${api}/assets`, {
      json: { source: `${site}/plain`, as: 'link' },
    });
    describeAs({ type: 'hologram' });
    const wrong = await server.call('POST', `${api}/assets`, {
      json: { source: `${site}/film`, as: 'link' },
    });
    pages.set('/astray', (_req, res) =>
      res
        .writeHead(200, { 'content-type': 'text/html' })
        .end('<link rel="alternate" type="application/json+oembed" href="http://[">'),
    );
    const astray = await server.call('POST', `${api}/assets`, {
      json: { source: `${site}/astray`, as: 'link' },
    });
    expect([plain.body.detail, wrong.body.detail, astray.body.detail]).toEqual([
      expect.stringContaining('names no description'),
      expect.stringContaining('is not oEmbed'),
      expect.stringContaining('is at no address'),
    ]);
  });

  test.each([
    ['breaks off', (res: ServerResponse) => res.writeHead(200).write('half', () => res.destroy())],
    ['is larger than a preview may be', (res: ServerResponse) => res.end(Buffer.alloc(10_000_001))],
    ['is no picture', (res: ServerResponse) => res.end('not a picture')],
  ])('whose preview %s is kept without one', async (name, answer) => {
    pages.set('/torn.jpg', (_req, res) => void answer(res));
    describeAs({ version: '1.0', type: 'video', title: `It ${name}`, thumbnail_url: `${site}/torn.jpg` });
    const { status, body } = await server.call('POST', `${api}/assets`, {
      json: { source: `${site}/film`, folder: '/links', as: 'link' },
    });
    expect([status, body.title, body.renditions]).toEqual([201, `It ${name}`, []]);
  });
});

describe('a manifest', () => {
  test('is rehearsed with a proposed mapping, and then taken in', async () => {
    await mkdir(join(server.inbox, 'm'), { recursive: true });
    await writeFile(join(server.inbox, 'm/a.txt'), 'from a manifest');
    const content =
      '\ufeffFile;Directory;Alt text;Tags;Date taken\nm/a.txt;/manifest/one;"A ""fine"" day";sea, dusk;2025-06-01T10:00:00Z\nm/missing.txt;;;;\nm/a.txt;;;;31.31.2025\n;;;;\n';
    const rehearsed = await server.call('POST', `${api}/intake/manifest?rehearse=true`, {
      json: { content, folder: '/manifest' },
    });
    expect(rehearsed.body.plan).toMatchObject({
      mapping: {
        source: 'File',
        folder: 'Directory',
        alt: 'Alt text',
        keywords: 'Tags',
        capturedAt: 'Date taken',
      },
      totals: { rows: 3, taken: 1, faults: 2 },
    });
    expect(await assetsOf('/manifest')).toEqual([]);
    const { body } = await server.call('POST', `${api}/intake/manifest`, {
      json: { content, folder: '/manifest', label: 'views.csv' },
    });
    await server.workUntilIdle();
    expect((await filesOf(body.intake.id)).map(({ name, outcome }) => `${name} ${outcome}`).sort()).toEqual([
      'a.txt accepted',
      'row 2 refused',
      'row 3 refused',
    ]);
    expect((await assetsOf('/manifest'))[0]).toMatchObject({
      alt: 'A "fine" day',
      keywords: ['sea', 'dusk'],
      capturedAt: '2025-06-01T10:00:00.000Z',
      folder: { path: '/manifest/one' },
    });
  });

  test('with ten thousand rows is planned and its rows are taken in', async () => {
    const rows = Array.from({ length: 10_000 }, (_, n) => `"data:,row%20${n}",r${n}.txt`);
    const content = `source,name\n${rows.join('\n')}\n`;
    const { status, body } = await server.call('POST', `${api}/intake/manifest`, {
      json: { content, folder: '/rows' },
    });
    expect([status, body.run.total]).toEqual([202, 10_000]);
    await server.call('POST', `${api}/runs/${body.run.id}/stop`);
    await server.call('POST', `${api}/runs/${body.run.id}/resume`);
    await server.workUntilIdle();
    const { total } = (await server.call('GET', `${api}/assets?folder=/rows&deep=true&limit=1`)).body;
    expect(total).toBe(10_000);
  }, 180_000);

  test.each([
    ['no column with a source', 'alt,title\na,b\n', 'no column holds the path'],
    ['nothing in it', 'path\n', 'no rows'],
    ['broken JSON', '[{', 'no valid JSON'],
  ])('with %s is refused', async (_what, content, reason) => {
    const { status, body } = await server.call('POST', `${api}/intake/manifest`, { json: { content } });
    expect([status, body.detail]).toEqual([422, expect.stringContaining(reason)]);
  });
});

describe('a resumable upload', () => {
  test('goes on where it broke off, says an independent client', async () => {
    const data = Buffer.alloc(3_000_000, 'fog over the sound ');
    const key = await server.key();
    const options = {
      endpoint: `${server.url}${api}/uploads`,
      headers: { Authorization: `Bearer ${key}` },
      metadata: { filename: 'long.txt', folder: '/tus', alt: 'Fog' },
      chunkSize: 1_000_000,
      retryDelays: null,
    };
    const url = await new Promise<string>((resolve, reject) => {
      const upload = new tus.Upload(data, {
        ...options,
        onError: reject,
        onChunkComplete: () => {
          void upload.abort().then(() => resolve(upload.url ?? ''));
        },
      });
      upload.start();
    });
    const sent: number[] = [];
    await new Promise<void>((resolve, reject) => {
      new tus.Upload(data, {
        ...options,
        uploadUrl: url,
        onError: reject,
        onProgress: (bytesSent) => sent.push(bytesSent),
        onSuccess: () => resolve(),
      }).start();
    });
    expect(Math.min(...sent)).toBeGreaterThanOrEqual(1_000_000);
    const id = url.split('/').at(-1);
    const result = (await server.call('GET', `${api}/uploads/${id}/result`, { key })).body;
    expect(result.verdict.outcome).toBe('accepted');
    const asset = (await server.call('GET', `${api}/assets/${result.asset}`)).body;
    expect([asset.bytes, asset.alt, asset.folder.path]).toEqual([data.length, 'Fog', '/tus']);
    const foreign = await server.call('HEAD', `${api}/uploads/${id}`);
    expect(foreign.status).toBe(404);
  });

  test('that arrived whole and could not be taken in is kept, and taken in when its result is asked for', async () => {
    vi.spyOn(server.app.store, 'adopt').mockRejectedValueOnce(new Error('the disk is full'));
    const key = await server.key();
    const url = await new Promise<string>((resolve, reject) => {
      const upload = new tus.Upload(bytes('late, and not lost'), {
        endpoint: `${server.url}${api}/uploads`,
        headers: { Authorization: `Bearer ${key}` },
        metadata: { filename: 'late.txt', folder: '/tus-late' },
        retryDelays: [0],
        onError: reject,
        onSuccess: () => resolve(upload.url ?? ''),
      });
      upload.start();
    });
    const id = url.split('/').at(-1) as string;
    expect(await assetsOf('/tus-late')).toEqual([]);
    const results = await Promise.all(
      [1, 2].map(() => server.call('GET', `${api}/uploads/${id}/result`, { key })),
    );
    expect(new Set(results.map(({ body }) => body.asset)).size).toBe(1);
    const content = await server.call('GET', `${api}/assets/${results[0]?.body.asset}/content`);
    expect(content.bytes.toString()).toBe('late, and not lost');
    expect(await assetsOf('/tus-late')).toHaveLength(1);
    expect((await readdir(server.app.store.arrivals())).filter((name) => name.startsWith(id))).toEqual([]);
  });

  test('that the rules refuse has its verdict, and leaves nothing', async () => {
    await setRules('/tus-strict', { maxBytes: 10 });
    const key = await server.key();
    const upload = await new Promise<tus.Upload>((resolve, reject) => {
      const one = new tus.Upload(Buffer.alloc(100), {
        endpoint: `${server.url}${api}/uploads`,
        headers: { Authorization: `Bearer ${key}` },
        metadata: { filename: 'a.txt', folder: '/tus-strict' },
        retryDelays: null,
        onError: reject,
        onSuccess: () => resolve(one),
      });
      one.start();
    });
    const id = upload.url?.split('/').at(-1);
    expect(codes((await server.call('GET', `${api}/uploads/${id}/result`, { key })).body.verdict)).toBe(
      'too-large',
    );
    expect(await assetsOf('/tus-strict')).toEqual([]);
  });
});

describe('rules on arrival', () => {
  test('"point" adds nothing and answers with the one there', async () => {
    await setRules('/point', { duplicates: 'point' });
    const send = (name: string) =>
      server.call('POST', `${api}/assets`, { body: form('/point', [{ name, data: bytes('only once') }]) });
    const first = (await send('a.txt')).body;
    const second = await send('b.txt');
    expect([second.status, second.body.id]).toEqual([201, first.id]);
    expect(await assetsOf('/point')).toHaveLength(1);
  });

  test('a custom check is asked with a signed request, and its word holds', async () => {
    const asked: { name: string }[] = [];
    const url = `${site}/check`;
    pages.set('/check', async (req, res) => {
      const body = (await collect(req)).toString();
      // The verifier of Standard Webhooks, as a receiver would use it.
      new Webhook(checkSecret(server.config, url)).verify(body, req.headers as Record<string, string>);
      const { data } = JSON.parse(body);
      asked.push(data);
      res.end(
        JSON.stringify({
          accept: data.name !== 'no.txt',
          message: data.name === 'no.txt' ? 'not this one' : null,
        }),
      );
    });
    await setRules('/checked', { check: { url, timeoutMs: 2000, onFailure: 'refuse' } });
    const { body } = await server.call('POST', `${api}/assets`, {
      body: form('/checked', [
        { name: 'yes.txt', data: bytes('y') },
        { name: 'no.txt', data: bytes('n') },
      ]),
    });
    expect(
      body.results.map(({ verdict }: { verdict: { outcome: string; reasons: { code: string }[] } }) => [
        verdict.outcome,
        codes(verdict),
      ]),
    ).toEqual([
      ['accepted', ''],
      ['refused', 'custom-check'],
    ]);
    expect(asked.map(({ name }) => name)).toEqual(['yes.txt', 'no.txt']);
  });

  test.each([
    ['refuse', 422],
    ['accept', 201],
  ])('without an answer in time the fallback holds: %s', async (onFailure, status) => {
    pages.set('/silent', () => {});
    await setRules(`/silent-${onFailure}`, { check: { url: `${site}/silent`, timeoutMs: 150, onFailure } });
    const answer = await server.call('POST', `${api}/assets`, {
      body: form(`/silent-${onFailure}`, [{ name: 'a.txt', data: bytes(onFailure) }]),
    });
    expect(answer.status).toBe(status);
    expect(answer.body.verdict.reasons[0].message).toContain('150 ms');
  });

  test('a change is rehearsed with what it would put outside', async () => {
    await server.call('POST', `${api}/assets`, {
      body: form('/rehearse-rules', [
        { name: 'a.txt', data: bytes('1234567890') },
        { name: 'b.txt', data: bytes('12') },
      ]),
    });
    const folders = (await server.call('GET', `${api}/folders?within=/rehearse-rules`)).body.items;
    const { body } = await server.call('PUT', `${api}/folders/${folders[0].id}/rules?rehearse=true`, {
      json: { maxBytes: 5 },
    });
    expect(body.plan.totals).toEqual({ present: 2, outside: 1, outsideNow: 0, byCode: { 'too-large': 1 } });
    expect((await server.call('GET', `${api}/folders/${folders[0].id}/rules`)).body.own.maxBytes).toBeNull();
  });

  test('which field fills which text can be set', async () => {
    const mapping = (await server.call('GET', `${api}/settings/metadata`)).body;
    await server.call('PUT', `${api}/settings/metadata`, {
      json: { ...mapping, alt: ['exif:imageDescription'] },
    });
    const file = join(server.inbox, '..', 'mapped.jpg');
    await writeFile(file, await photo(40, 30, 77));
    execFileSync('exiftool', ['-q', '-overwrite_original', '-EXIF:ImageDescription=A tower in fog', file]);
    const { body } = await server.call('POST', `${api}/assets`, {
      body: form('/mapped', [{ name: 'a.jpg', data: await readFile(file) }]),
    });
    expect(body).toMatchObject({ alt: 'A tower in fog', caption: 'A tower in fog' });
    await server.call('PUT', `${api}/settings/metadata`, { json: mapping });
    const wrong = await server.call('PUT', `${api}/settings/metadata`, {
      json: { ...mapping, title: ['exif:dateTimeOriginal'] },
    });
    expect(wrong.status).toBe(400);
  });

  test('a folder tree comes in one request: a field holds for the files after it', async () => {
    const body = new FormData();
    for (const [folder, name] of [
      ['/tree/a', '1.txt'],
      ['/tree/b/c', '2.txt'],
    ] as const) {
      body.append('folder', folder);
      body.append('file', new Blob([`${folder}${name}`]), name);
    }
    await server.call('POST', `${api}/assets`, { body });
    expect((await assetsOf('/tree')).map(({ folder, name }) => `${folder.path}/${name}`)).toEqual([
      '/tree/a/1.txt',
      '/tree/b/c/2.txt',
    ]);
  });
});
