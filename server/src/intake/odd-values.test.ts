import { crc32, deflateSync } from 'node:zlib';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { findBroken } from '../house/invariants.js';
import { api, bytes, callsOf, codes } from '../testing/calls.js';
import { form, photo, startTestServer, type TestServer } from '../testing/harness.js';
import { rawZip } from '../testing/zip.js';

let server: TestServer;
beforeAll(async () => {
  server = await startTestServer({ env: { UNIFERUM_MAX_PIXELS: '1000000' } });
});
afterAll(async () => {
  expect(await findBroken(server.db, server.store)).toEqual([]);
  await server.close();
});
const { assetsOf, filesOf } = callsOf(() => server);

/** A PNG that states a size and holds a few bytes. Source: PNG, third edition, 11.2.1 (IHDR). */
function pngOf(width: number, height: number): Buffer {
  const header = Buffer.alloc(13);
  header.writeUInt32BE(width, 0);
  header.writeUInt32BE(height, 4);
  header.set([8, 2, 0, 0, 0], 8);
  const chunk = (type: string, data: Buffer) => {
    const body = Buffer.concat([Buffer.from(type, 'latin1'), data]);
    const [length, check] = [Buffer.alloc(4), Buffer.alloc(4)];
    length.writeUInt32BE(data.length);
    check.writeUInt32BE(crc32(body));
    return Buffer.concat([length, body, check]);
  };
  return Buffer.concat([
    Buffer.from('\x89PNG\r\n\x1a\n', 'latin1'),
    chunk('IHDR', header),
    chunk('IDAT', deflateSync(Buffer.alloc(100))),
    chunk('IEND', Buffer.alloc(0)),
  ]);
}

async function withCaption(caption: string): Promise<Buffer> {
  const xmp = `<x:xmpmeta xmlns:x="adobe:ns:meta/"><rdf:RDF xmlns:rdf="http://www.w3.org/1999/02/22-rdf-syntax-ns#">
    <rdf:Description xmlns:dc="http://purl.org/dc/elements/1.1/"><dc:description><rdf:Alt>
    <rdf:li xml:lang="x-default">${caption}</rdf:li></rdf:Alt></dc:description></rdf:Description></rdf:RDF></x:xmpmeta>`;
  // Source: XMP, part 3, 1.1.3 (JPEG): a segment APP1 with this signature.
  const body = Buffer.from(`http://ns.adobe.com/xap/1.0/\0${xmp}`);
  const head = Buffer.from([0xff, 0xe1, (body.length + 2) >> 8, (body.length + 2) & 0xff]);
  const picture = await photo(30, 20, 7);
  return Buffer.concat([picture.subarray(0, 2), head, body, picture.subarray(2)]);
}

test('a file whatever its name is called is listed, and can be fetched where the list says', async () => {
  const names = ['. !.txt', `x${'🌫'.repeat(100)}`, `x${'🌫'.repeat(100)}.txt`, `${'x'.repeat(179)} yyyy`];
  const files = names.flatMap((name, n) => [1, 2].map((m) => ({ name, data: Buffer.from(`${n} ${m}`) })));
  for (const file of files)
    expect((await server.call('POST', `${api}/assets`, { body: form('/odd names', [file]) })).status).toBe(
      201,
    );
  const assets = await assetsOf('/odd names');
  expect(assets).toHaveLength(files.length);
  for (const url of assets.map((one) => String(one.url)))
    expect((await server.call('GET', url.slice(server.url.length), { key: null })).status, url).toBe(200);
});

describe('of a batch', () => {
  const LONG_NAME = `${'n'.repeat(60_000)}.txt`;
  const odd: [string, string, () => Promise<Buffer> | Buffer, string, string][] = [
    [
      'a caption of 62 kB',
      'caption.jpg',
      () => withCaption('fog '.repeat(15_500)),
      'warned',
      'text-shortened',
    ],
    ['a width of a thousand million', 'wide.png', () => pngOf(1_000_000_000, 1), 'refused', 'unreadable'],
    ['more pixels than are taken', 'bomb.png', () => pngOf(20_000, 20_000), 'refused', 'too-many-pixels'],
    ['a side that no column holds', 'thin.png', () => pngOf(2_000_000, 0), 'refused', 'unreadable'],
  ];

  test.each(odd)(
    'one with %s has its verdict, and the others come in',
    async (what, name, make, outcome, code) => {
      const folder = `/odd/${what.replaceAll(' ', '-')}`;
      const { status, body } = await server.call('POST', `${api}/assets`, {
        body: form(folder, [
          { name: 'before.txt', data: bytes(`before ${what}`) },
          { name, data: await make() },
          { name: 'after.txt', data: bytes(`after ${what}`) },
        ]),
      });
      expect(status).toBe(207);
      const [before, middle, after] = body.results;
      expect([before.verdict.outcome, after.verdict.outcome]).toEqual(['accepted', 'accepted']);
      expect([middle.verdict.outcome, codes(middle.verdict)]).toEqual([outcome, code]);
    },
  );

  test('one whose name holds direction marks loses them, with a warning, and is judged by what remains', async () => {
    // U+202E turns what follows around: shown, this name ends with “txt”.
    const disguised = 'tide\u202Etxt.exe';
    const { body } = await server.call('POST', `${api}/assets`, {
      body: form('/marks', [
        { name: 'fog\u2066-bell\u2069.txt', data: bytes('bell') },
        { name: disguised, data: bytes('MZ') },
      ]),
    });
    const [bell, turned] = body.results;
    expect([bell.asset.name, codes(bell.verdict)]).toEqual(['fog-bell.txt', 'name-cleaned']);
    expect(codes(turned.verdict)).toContain('name-cleaned');
    const archive = rawZip([{ name: Buffer.from('gull\u202E.txt'), data: bytes('gull') }]);
    const zipped = await server.call('POST', `${api}/assets`, {
      body: form('/marks/zip', [{ name: 'a.zip', data: archive }], { unpack: 'true' }),
    });
    await server.workUntilIdle();
    const [gull] = await filesOf(zipped.body.intake);
    expect([gull?.name, gull?.outcome, JSON.stringify(gull)]).toEqual([
      'gull.txt',
      'warned',
      expect.stringContaining('name-cleaned'),
    ]);
    const renamed = await server.call('PATCH', `${api}/assets/${bell.asset.id}`, {
      json: { name: 'bell\u202Egpj.txt' },
    });
    expect([renamed.status, renamed.body.code]).toEqual([422, 'refused']);
    const folder = await server.call('POST', `${api}/folders`, { json: { path: '/marks/a\u202Eb' } });
    expect(folder.status).toBe(400);
    expect(JSON.stringify([renamed.body, folder.body.errors])).not.toMatch(/[\u202A-\u202E\u2066-\u2069]/);
    expect(JSON.stringify(body.results)).not.toMatch(/[\u202A-\u202E\u2066-\u2069]/);
  });

  test('one with a name of 60,000 characters is kept under a shorter one, and refused where somebody gives it', async () => {
    const archive = rawZip([
      { name: bytes('first.txt'), data: bytes('first') },
      { name: bytes(LONG_NAME), data: bytes('long') },
      { name: bytes('last.txt'), data: bytes('last') },
    ]);
    const { body } = await server.call('POST', `${api}/assets`, {
      body: form('/long', [{ name: 'a.zip', data: archive }], { unpack: 'true' }),
    });
    await server.workUntilIdle();
    expect((await filesOf(body.intake)).map(({ outcome }) => outcome)).not.toContain('refused');
    const names = (await assetsOf('/long')).map(({ name }) => name);
    expect(names).toHaveLength(3);
    expect(names.every((name) => name.length <= 200)).toBe(true);
    const single = await server.call('POST', `${api}/assets`, {
      json: { source: 'data:text/plain,alone', folder: '/long/alone', name: LONG_NAME },
    });
    expect([single.status, single.body.errors?.[0]?.field]).toEqual([400, 'name']);
  });

  test('texts that are sent are refused by name when they are too long, and nothing is cut', async () => {
    const { body: asset } = await server.call('POST', `${api}/assets`, {
      body: form('/texts', [{ name: 'a.txt', data: bytes('texts') }]),
    });
    const long = await server.call('PATCH', `${api}/assets/${asset.id}`, {
      json: { caption: 'x'.repeat(64_000) },
    });
    expect([long.status, long.body.errors?.[0]?.field]).toEqual([400, 'caption']);
    expect((await server.call('GET', `${api}/assets/${asset.id}`)).body.caption).toBeNull();
  });
});
