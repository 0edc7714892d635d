import { execFileSync } from 'node:child_process';
import { readdir, writeFile } from 'node:fs/promises';
import { request } from 'node:http';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Readable } from 'node:stream';
import sharp from 'sharp';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { readHeader, readMetadata } from '../inspection/embedded.js';
import { eventually, form, photo, startTestServer, type TestServer } from '../testing/harness.js';

let server: TestServer;
beforeAll(async () => {
  server = await startTestServer();
});
afterAll(() => server.close());

const bytes = (text: string) => new TextEncoder().encode(text);
const codes = (verdict: { reasons: { code: string }[] }) => verdict.reasons.map(({ code }) => code);

async function makeFolder(path: string, rules: object = {}): Promise<string> {
  const { id } = (await server.call('POST', '/api/v1/folders', { json: { path } })).body;
  await server.call('PUT', `/api/v1/folders/${id}/rules`, { json: rules });
  return id;
}

const upload = (
  folder: string,
  files: { name: string; data: Uint8Array }[],
  headers: Record<string, string> = {},
) => server.call('POST', '/api/v1/assets', { body: form(folder, files), headers });

describe('one pass over the bytes', () => {
  test.each([
    // FIPS 180-4, example "abc" and the empty message as published with it; CRC-32 check value of "123456789" (CBF43926).
    ['abc', 'ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad', '352441c2'],
    ['', 'e3b0c44298fc1c149afbf4c8996fb92427ae41e4649b934ca495991b7852b855', '00000000'],
    ['123456789', '15e2b0d3c33891ebb0f1ef609ec419420c20e320ce94c65fbc8c3312448eb225', 'cbf43926'],
  ])('%j has its published digests', async (text, sha256, crc32) => {
    const staged = await server.store.stage(Readable.from([Buffer.from(text)]), { limitBytes: 100 });
    expect(staged).toMatchObject({ sha256, crc32, bytes: text.length });
    await staged.discard();
  });

  test('gives the same for any cut of the stream', async () => {
    const whole = await photo(300, 200);
    const cuts = [1, 7, 4096, 65_536, whole.length];
    const digests = await Promise.all(
      cuts.map(async (cut) => {
        const parts = Array.from({ length: Math.ceil(whole.length / cut) }, (_, n) =>
          whole.subarray(n * cut, (n + 1) * cut),
        );
        const staged = await server.store.stage(Readable.from(parts), { limitBytes: 1e9 });
        await staged.discard();
        return `${staged.sha256} ${staged.crc32}`;
      }),
    );
    expect(new Set(digests).size).toBe(1);
  });

  test('past the limit it counts on and keeps nothing', async () => {
    const staged = await server.store.stage(Readable.from([Buffer.alloc(60), Buffer.alloc(60)]), {
      limitBytes: 100,
    });
    expect(staged).toMatchObject({ bytes: 120, path: null });
    await expect(staged.keep()).rejects.toThrow();
  });
});

describe('an upload', () => {
  test('of one file answers 201 with the asset and its complete addresses', async () => {
    const data = await photo(640, 480);
    const { status, body, headers } = await upload('/one', [{ name: 'Möwe im Wind.jpg', data }]);
    expect(status).toBe(201);
    expect(body).toMatchObject({
      name: 'Möwe im Wind.jpg',
      kind: 'image',
      mime: 'image/jpeg',
      bytes: data.length,
      width: 640,
      height: 480,
      version: 1,
      url: `${server.url}/media/one/M%C3%B6we%20im%20Wind.jpg`,
    });
    expect(headers.get('location')).toBe(`${server.url}/api/v1/assets/${body.id}`);
    expect(
      (await server.call('GET', body.url.slice(server.url.length), { key: null })).bytes.equals(data),
    ).toBe(true);
  });

  test('of several answers 207 with what came of each, in their order', async () => {
    await makeFolder('/several', { deny: ['exe'], maxBytes: 1000 });
    const { status, body } = await upload('/several', [
      { name: 'a.txt', data: bytes('a') },
      { name: 'b.exe', data: bytes('MZ\u0000') },
      { name: 'c.txt', data: bytes('c'.repeat(2000)) },
      { name: 'd.txt', data: bytes('') },
      { name: 'e.png', data: await photo(10, 10) },
    ]);
    expect(status).toBe(207);
    expect(
      body.results.map(
        (result: {
          name: string;
          status: number;
          verdict: { outcome: string; reasons: { code: string }[] };
        }) => [result.name, result.status, result.verdict.outcome, codes(result.verdict).join()],
      ),
    ).toEqual([
      ['a.txt', 201, 'accepted', ''],
      ['b.exe', 422, 'refused', 'type-denied'],
      ['c.txt', 422, 'refused', 'too-large'],
      ['d.txt', 422, 'refused', 'empty'],
      ['e.png', 201, 'warned', 'type-mismatch'],
    ]);
    expect(body.results[2].verdict.reasons[0]).toMatchObject({
      limit: 1000,
      actual: 2000,
      folder: '/several',
    });
  });

  test('a refused single file is a problem with its verdict', async () => {
    await makeFolder('/strict', { allow: ['jpg'] });
    const { status, body, headers } = await upload('/strict', [{ name: 'a.txt', data: bytes('a') }]);
    expect(status).toBe(422);
    expect(headers.get('content-type')).toMatch(/^application\/problem\+json/);
    expect(body).toMatchObject({ code: 'refused', verdict: { outcome: 'refused' } });
  });

  test('texts that are sent along go before those in the file', async () => {
    const data = await sharp(await photo(64, 64, 3))
      .withExif({ IFD0: { Artist: 'Tam Hollin', ImageDescription: 'From the file' } })
      .jpeg()
      .toBuffer();
    const body = form('/texts', [{ name: 'a.jpg', data }], { title: 'Sent', keywords: 'sea, dusk' });
    expect((await server.call('POST', '/api/v1/assets', { body })).body).toMatchObject({
      title: 'Sent',
      caption: 'From the file',
      credit: 'Tam Hollin',
      keywords: ['sea', 'dusk'],
    });
  });

  test('a picture whose header is broken is refused, and says so', async () => {
    const { status, body } = await upload('/broken', [
      { name: 'a.png', data: Uint8Array.from([0x89, 0x50, 0x4e, 0x47, 0x0d, 0x0a, 0x1a, 0x0a, 1, 2, 3]) },
    ]);
    expect([status, codes(body.verdict)]).toEqual([422, ['unreadable']]);
  });

  test('hostile names end in the folder and nowhere else', async () => {
    const { body } = await upload('/names', [
      { name: '..%2f..%2fup.txt', data: bytes('1') },
      { name: 'photo~wide.txt', data: bytes('2') },
    ]);
    expect(body.results.map(({ asset }: { asset: { name: string } }) => asset.name)).toEqual([
      '..%2f..%2fup.txt'.replace(/^\.+/, ''),
      'photo-wide.txt',
    ]);
    expect((await upload('/a/../../etc', [{ name: 'a', data: bytes('1') }])).status).toBe(400);
  });

  test.each([
    ['no file', () => form('/x', [])],
    ['no multipart', () => 'plain'],
  ])('a body with %s is malformed', async (_what, body) => {
    expect((await server.call('POST', '/api/v1/assets', { body: body() })).status).toBeGreaterThanOrEqual(
      400,
    );
    expect((await server.call('GET', '/api/v1/assets?folder=/&deep=false')).status).toBe(200);
  });
});

describe('batch order', () => {
  test('with room for five and four present the first of two gets in', async () => {
    await makeFolder('/room', { maxItems: 5 });
    for (let n = 0; n < 4; n += 1) await upload('/room', [{ name: `${n}.txt`, data: bytes(`${n}`) }]);
    const { body } = await upload('/room', [
      { name: 'fifth.txt', data: bytes('5') },
      { name: 'sixth.txt', data: bytes('6') },
    ]);
    expect(body.results.map(({ status }: { status: number }) => status)).toEqual([201, 422]);
    expect(body.results[1].verdict.reasons[0]).toMatchObject({
      code: 'too-many',
      limit: 5,
      actual: 6,
      folder: '/room',
    });
  });

  test('of many uploads at once exactly as many get in as there is room for', async () => {
    await makeFolder('/crowd', { maxItems: 3 });
    const answers = await Promise.all(
      Array.from({ length: 10 }, (_, n) => upload('/crowd', [{ name: 'same.txt', data: bytes(`${n}`) }])),
    );
    expect(answers.filter(({ status }) => status === 201)).toHaveLength(3);
    const names = (await server.call('GET', '/api/v1/assets?folder=/crowd&sort=name')).body.items.map(
      ({ name }: { name: string }) => name,
    );
    expect(names).toEqual(['same-2.txt', 'same-3.txt', 'same.txt']);
  });

  test('the check before sending says the same, and keeps nothing', async () => {
    const { body } = await server.call('POST', '/api/v1/intake/check', {
      json: { folder: '/crowd', files: [{ name: 'a.txt', bytes: 1 }] },
    });
    expect(body.verdicts[0]).toMatchObject({
      outcome: 'refused',
      reasons: [{ code: 'too-many', limit: 3, actual: 4, folder: '/crowd' }],
    });
    const below = await server.call('POST', '/api/v1/intake/check', {
      json: {
        folder: '/crowd/not/there',
        files: [
          { name: 'a.txt', bytes: 1 },
          { name: 'b.txt', bytes: 0 },
        ],
      },
    });
    expect(below.body.verdicts.map(({ outcome }: { outcome: string }) => outcome)).toEqual([
      'accepted',
      'refused',
    ]);
    expect((await server.call('GET', '/api/v1/folders?within=/crowd')).body.total).toBe(1);
  });

  test('a check in an intake records what it refuses, once, and only for who began it', async () => {
    const { id } = (await server.call('POST', '/api/v1/intakes', { json: { folder: '/crowd' } })).body;
    const refusedBefore = (await server.call('GET', '/api/v1/flow')).body.verdicts.refused;
    const json = {
      folder: '/crowd/elsewhere',
      files: ['a.txt', 'b.txt'].map((name) => ({ name, bytes: 3 })),
    };
    json.files.push({ name: 'c.txt', bytes: 0 });
    const { body } = await server.call('POST', `/api/v1/intakes/${id}/check`, { json });
    expect(body.verdicts.map(({ outcome }: { outcome: string }) => outcome)).toEqual([
      'accepted',
      'accepted',
      'refused',
    ]);
    expect((await server.call('GET', `/api/v1/intakes/${id}`)).body).toMatchObject({
      accepted: 0,
      refused: 1,
    });
    const files = (await server.call('GET', `/api/v1/intakes/${id}/files`)).body;
    expect(files.items.map(({ verdict }: { verdict: { name: string } }) => verdict.name)).toEqual(['c.txt']);
    expect((await server.call('GET', '/api/v1/flow')).body.verdicts.refused).toBe(refusedBefore + 1);
    const key = await server.key(['library:write']);
    const foreign = await server.call('POST', `/api/v1/intakes/${id}/check`, { json, key });
    expect(foreign.status).toBe(404);
    expect((await server.call('GET', `/api/v1/intakes/${id}`)).body.refused).toBe(1);
  });

  test('an intake holds the verdict of every file, also of the refused ones', async () => {
    const { id } = (await server.call('POST', '/api/v1/intakes', { json: { folder: '/crowd' } })).body;
    const body = form('/crowd', [{ name: 'late.txt', data: bytes('late') }], { intake: id });
    expect((await server.call('POST', '/api/v1/assets', { body })).status).toBe(422);
    expect((await server.call('GET', `/api/v1/intakes/${id}`)).body).toMatchObject({
      folder: '/crowd',
      refused: 1,
      accepted: 0,
    });
    expect((await server.call('GET', `/api/v1/intakes/${id}/files`)).body.items[0].verdict.name).toBe(
      'late.txt',
    );
    const foreign = await server.call('POST', '/api/v1/assets', {
      key: await server.key(),
      body: form('/crowd', [{ name: 'x', data: bytes('x') }], { intake: id }),
    });
    expect(foreign.status).toBe(400);
  });
});

describe('repeats', () => {
  const send = (data: Uint8Array, key: string) =>
    upload('/repeats', [{ name: 'a.txt', data }], { 'Idempotency-Key': key });

  test('the same key and file give the same answer and nothing twice', async () => {
    const first = await send(bytes('once'), 'k1');
    const second = await send(bytes('once'), 'k1');
    expect(second.status).toBe(201);
    expect(second.body).toEqual(first.body);
    expect(second.headers.get('idempotent-replayed')).toBe('true');
    expect((await server.call('GET', '/api/v1/assets?folder=/repeats')).body.total).toBe(1);
  });

  test('the same key with another file is refused, and keeps nothing', async () => {
    await send(bytes('one'), 'k2');
    expect((await send(bytes('two'), 'k2')).body.code).toBe('key-reused');
    expect((await server.call('GET', '/api/v1/assets?folder=/repeats')).body.total).toBe(2);
  });

  test('a refusal may be tried again under its key', async () => {
    const id = await makeFolder('/repeats/limit', { maxBytes: 2 });
    const again = () =>
      upload('/repeats/limit', [{ name: 'a.txt', data: bytes('abc') }], { 'Idempotency-Key': 'k3' });
    expect((await again()).status).toBe(422);
    await server.call('PUT', `/api/v1/folders/${id}/rules`, { json: {} });
    expect((await again()).status).toBe(201);
  });

  test('a JSON request is repeated as well, by its body', async () => {
    const make = (path: string) =>
      server.call('POST', '/api/v1/folders', { json: { path }, headers: { 'Idempotency-Key': 'k4' } });
    const first = await make('/repeated-folder');
    expect((await make('/repeated-folder')).body).toEqual(first.body);
    expect((await make('/another')).body.code).toBe('key-reused');
  });
});

test('a connection that breaks off leaves no bytes and a verdict', async () => {
  const key = await server.key();
  const boundary = 'BREAK';
  const head = `--${boundary}\r\nContent-Disposition: form-data; name="folder"\r\n\r\n/broken-off\r\n--${boundary}\r\nContent-Disposition: form-data; name="file"; filename="long.bin"\r\n\r\n`;
  const outgoing = request(`${server.url}/api/v1/assets`, {
    method: 'POST',
    headers: {
      Authorization: `Bearer ${key}`,
      'Content-Type': `multipart/form-data; boundary=${boundary}`,
      'Content-Length': 50_000_000,
    },
  });
  outgoing.on('error', () => {});
  outgoing.write(head);
  outgoing.write(Buffer.alloc(200_000));
  const staging = server.store.scratch();
  await eventually(async () => (await readdir(staging)).length > 0);
  outgoing.destroy();
  await eventually(async () => (await readdir(staging)).length === 0);
  await eventually(async () => {
    const { items } = (await server.call('GET', '/api/v1/intakes')).body;
    return items.some(
      (intake: { folder: string; refused: number }) =>
        intake.folder === '/broken-off' && intake.refused === 1,
    );
  });
});

describe('what a picture says of itself', () => {
  test.each([1, 2, 3, 4, 5, 6, 7, 8])(
    'Exif orientation %i gives the size as displayed',
    async (orientation) => {
      const file = join(tmpdir(), `uniferum-orientation-${process.pid}-${orientation}.jpg`);
      await writeFile(
        file,
        await sharp(await photo(60, 40))
          .withMetadata({ orientation })
          .jpeg()
          .toBuffer(),
      );
      const displayed = await sharp(file).autoOrient().toBuffer({ resolveWithObject: true });
      const { size } = await readHeader(file, 'image/jpeg');
      expect([size?.width, size?.height, size?.orientation]).toEqual([
        displayed.info.width,
        displayed.info.height,
        orientation,
      ]);
    },
  );

  test('what an independent program writes is read: Exif, IPTC and XMP', async () => {
    const file = join(tmpdir(), `uniferum-embedded-${process.pid}.jpg`);
    await writeFile(file, await photo(60, 40));
    execFileSync('exiftool', [
      '-q',
      '-overwrite_original',
      '-codedcharacterset=utf8',
      '-EXIF:DateTimeOriginal=2025:06:01 12:00:00',
      '-EXIF:OffsetTimeOriginal=+02:00',
      '-EXIF:SubSecTimeOriginal=5',
      '-EXIF:Copyright=The Trust',
      '-XMP-dc:Title=Dämmerung',
      '-XMP-dc:Creator=Isbel Crane',
      '-XMP-dc:Subject=sea',
      '-XMP-dc:Subject=dusk',
      '-XMP-iptcCore:AltTextAccessibility=A tower',
      '-IPTC:Credit=Skerry',
      '-XMP:Headline=A headline',
      '-XMP:Credit=The credit line',
      '-XMP:DateCreated=2025:06:02 08:00:00',
      '-IPTC:Caption-Abstract=Über dem Meer',
      file,
    ]);
    const { blocks } = await readHeader(file, 'image/jpeg');
    expect(readMetadata(blocks)).toMatchObject({
      'exif:dateTimeOriginal': '2025:06:01 12:00:00',
      'exif:offset': '+02:00',
      'exif:subSecond': '5',
      'xmp:title': 'Dämmerung',
      'xmp:creator': 'Isbel Crane',
      'xmp:subject': ['sea', 'dusk'],
      'xmp:altText': 'A tower',
      'iptc:credit': 'Skerry',
      'xmp:headline': 'A headline',
      'xmp:credit': 'The credit line',
      'xmp:dateCreated': '2025-06-02T08:00:00',
      'iptc:caption': 'Über dem Meer',
      'exif:copyright': 'The Trust',
    });
  });
});
