import { execFileSync } from 'node:child_process';
import { constants, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { type FileHandle, open as openFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { crc32 } from 'node:zlib';
import fc from 'fast-check';
import sharp from 'sharp';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { api } from '../testing/calls.js';
import { eventually, form, photo, startTestServer, type TestServer } from '../testing/harness.js';
import { readMetadata } from './embedded.js';
import { readIim } from './iim.js';
import { Inspector } from './inspector.js';
import { readXmp, XMP_NAMESPACES } from './xmp.js';

const encode = (text: string) => new TextEncoder().encode(text);

const packet = (inside: string, namespaces = '') =>
  `<x:xmpmeta xmlns:x="adobe:ns:meta/"><rdf:RDF xmlns:rdf="http://www.w3.org/1999/02/22-rdf-syntax-ns#"><rdf:Description rdf:about="" xmlns:dc="http://purl.org/dc/elements/1.1/" ${namespaces}>${inside}</rdf:Description></rdf:RDF></x:xmpmeta>`;

/** What every object had before. */
const MEMBERS = [
  ...Object.getOwnPropertyNames(Object.prototype),
  ...Object.getOwnPropertyNames(Object),
].sort();
function expectUntouched(): void {
  expect(
    [...Object.getOwnPropertyNames(Object.prototype), ...Object.getOwnPropertyNames(Object)].sort(),
  ).toEqual(MEMBERS);
  expect(Object.keys({ a: 1 })).toEqual(['a']);
}

/** Packets that were made to change what every object is. */
const HOSTILE = [
  packet('<__proto__:polluted>yes</__proto__:polluted>', 'xmlns:__proto__="urn:x"'),
  packet('<constructor:keys>yes</constructor:keys>', 'xmlns:constructor="urn:x"'),
  packet('<p:__proto__ rdf:parseType="Resource"><p:toString>x</p:toString></p:__proto__>', 'xmlns:p="urn:x"'),
  packet('<dc:__proto__><rdf:Bag><rdf:li>x</rdf:li></rdf:Bag></dc:__proto__>'),
  packet('', 'xmlns:constructor="urn:x" constructor:prototype="x" dc:__proto__="y"'),
];

describe('an XMP packet', () => {
  test.each(HOSTILE)("can't change what every object is: %#", (text) => {
    readXmp(encode(text));
    expectUntouched();
  });

  test('is read in a time that grows with it', () => {
    // Each of these makes a reader that goes back and forth take minutes.
    for (const part of ['<dc:a ', '<dc:title>', ' dc:x="', '<!--', '<rdf:li>', '&#', '<![CDATA['])
      readXmp(encode(packet(part.repeat(Math.ceil(4_000_000 / part.length)))));
    const many = (write: (n: number) => string) =>
      Array.from({ length: 60_000 }, (_, n) => write(n)).join('');
    readXmp(
      encode(
        packet(
          '',
          many((n) => ` dc:a${n}="x"`),
        ),
      ),
    );
    readXmp(
      encode(
        packet(
          '',
          many((n) => ` xmlns:p${n}="urn:${n}"`),
        ),
      ),
    );
    readXmp(encode(packet(many((n) => `<p${n}:a xmlns:p${n}="urn:x"/>`))));
  });

  test('that breaks off says what came before', () => {
    const broken = packet('<dc:source>Farrow</dc:source><dc:title>');
    expect(
      readXmp(encode(broken.slice(0, broken.indexOf('<dc:title>') + 5))).text(XMP_NAMESPACES.dc, 'source'),
    ).toBe('Farrow');
  });

  test('whatever it holds gives texts or nothing', () => {
    const piece = fc.oneof(
      fc.constantFrom(
        ...HOSTILE,
        packet('<dc:title>x</dc:title>'),
        '<',
        '>',
        '</',
        '&',
        '"',
        '<rdf:li',
        '<?xpacket',
        '\0',
      ),
      fc.string({ unit: 'binary' }),
    );
    fc.assert(
      fc.property(fc.array(piece, { maxLength: 12 }), (pieces) => {
        const text = pieces.join('');
        const from = encode(text);
        expect(typeof (readXmp(from).text(XMP_NAMESPACES.dc, 'title') ?? '')).toBe('string');
      }),
      { numRuns: 500 },
    );
    expectUntouched();
  });
});

test('IIM and Exif, whatever they hold, give texts or nothing', () => {
  const block = fc.oneof(
    fc.uint8Array({ maxLength: 400 }),
    fc
      .array(fc.tuple(fc.integer({ min: 0, max: 255 }), fc.uint8Array({ maxLength: 40 })), { maxLength: 12 })
      .map((sets) =>
        Uint8Array.from(sets.flatMap(([set, value]) => [0x1c, 2, set, 0, value.length, ...value])),
      ),
    fc
      .uint8Array({ maxLength: 300 })
      .map((rest) => Uint8Array.from([...encode('Exif\0\0II*\0\x08\0\0\0'), ...rest])),
  );
  fc.assert(
    fc.property(block, (bytes) => {
      for (const values of readIim(bytes).values())
        for (const value of values) expect(typeof value).toBe('string');
      const metadata = readMetadata({ exif: bytes, iim: bytes, xmp: null });
      for (const value of Object.values(metadata))
        expect(value === undefined || typeof value === 'string' || Array.isArray(value)).toBe(true);
    }),
    { numRuns: 2000 },
  );
  expectUntouched();
});

/** A picture with an XMP packet as large as one likes. Source: PNG, third edition, 11.3.3.4 (iTXt). */
async function pictureWith(xmp: string): Promise<Buffer> {
  const data = await sharp(await photo(40, 30))
    .png()
    .toBuffer();
  const text = Buffer.concat([Buffer.from('iTXtXML:com.adobe.xmp\0\0\0\0\0', 'latin1'), Buffer.from(xmp)]);
  const [length, checksum] = [Buffer.alloc(4), Buffer.alloc(4)];
  length.writeUInt32BE(text.length - 4);
  checksum.writeUInt32BE(crc32(text));
  return Buffer.concat([data.subarray(0, 33), length, text, checksum, data.subarray(33)]);
}

describe('pictures that mean no good', () => {
  let server: TestServer;
  beforeAll(async () => {
    server = await startTestServer();
  });
  afterAll(() => server.close());

  const upload = (name: string, data: Buffer) =>
    server.call('POST', `${api}/assets`, { body: form('/hostile', [{ name, data }]) });

  test('come in or are refused, and change nothing for what comes after', async () => {
    for (const [n, text] of HOSTILE.entries())
      expect((await upload(`h${n}.png`, await pictureWith(text))).status).toBe(201);
    expect((await upload('slow.png', await pictureWith(packet('<dc:a '.repeat(400_000))))).status).toBe(201);
    expectUntouched();
    expect((await server.call('GET', '/metrics')).status).toBe(200);
    const good = await upload('good.png', await pictureWith(packet('<dc:title>A title</dc:title>')));
    expect(good.body.title).toBe('A title');
  });
});

describe('the processes in which files are read', () => {
  let folder: string;
  const inspectors: Inspector[] = [];
  beforeAll(() => {
    folder = mkdtempSync(join(tmpdir(), 'uniferum-inspector-'));
  });
  afterAll(async () => {
    await Promise.all(inspectors.map((one) => one.close()));
    rmSync(folder, { recursive: true, force: true });
  });

  function open(options: { maxMemoryBytes?: number; timeoutMs?: number } = {}): Inspector {
    const inspector = new Inspector({
      processes: 1,
      maxMemoryBytes: 500_000_000,
      timeoutMs: 20_000,
      isBackground: false,
      ...options,
    });
    inspectors.push(inspector);
    return inspector;
  }

  async function openForReader(pipe: string): Promise<FileHandle> {
    let opened: FileHandle | null = null;
    await eventually(async () => {
      opened = await openFile(pipe, constants.O_WRONLY | constants.O_NONBLOCK).catch(() => null);
      return opened !== null;
    });
    return opened as unknown as FileHandle;
  }

  const write = (name: string, data: Uint8Array) => {
    const path = join(folder, name);
    writeFileSync(path, data);
    return { path, mime: name.endsWith('.png') ? 'image/png' : 'image/jpeg' };
  };

  test('read many files at a time, each for itself', async () => {
    const inspector = open();
    const files = await Promise.all(
      Array.from({ length: 70 }, async (_, n) =>
        write(
          `${n}.jpg`,
          n % 7 === 3 ? Buffer.from('\xff\xd8\xff no picture', 'latin1') : await photo(20 + n, 10, n),
        ),
      ),
    );
    const found = await Promise.all(files.map((file) => inspector.inspect(file)));
    expect(found.map(({ size }) => size?.width ?? null)).toEqual(
      files.map((_, n) => (n % 7 === 3 ? null : 20 + n)),
    );
    expect(found.every(({ unreadable }, n) => (unreadable !== null) === (n % 7 === 3))).toBe(true);
  });

  test('blame the file that costs a process its life, and no other of its batch', async () => {
    const inspector = open({ timeoutMs: 5000 });
    const good = await Promise.all([0, 1, 2].map(async (n) => write(`good${n}.jpg`, await photo(30, 20, n))));
    // A pipe that nobody writes into is never read to its end.
    const stuck = join(folder, 'stuck.jpg');
    execFileSync('mkfifo', [stuck]);
    const files = [good[0], { path: stuck, mime: 'image/jpeg' }, good[1], good[2]];
    const found = await Promise.all(
      files.map((file) => inspector.inspect(file as { path: string; mime: string })),
    );
    expect(found.map(({ unreadable }) => unreadable)).toEqual([
      null,
      expect.stringMatching(/took longer/),
      null,
      null,
    ]);
    expect(found[3]?.size?.width).toBe(30);
  });

  test('blame the document that costs a process its life, and no other of its batch', async () => {
    const inspector = open({ timeoutMs: 3000 });
    const stuck = join(folder, 'stuck-page.html');
    execFileSync('mkfifo', [stuck]);
    const names = ['a', 'b', 'c'].map(
      (name) => write(`${name}.html`, encode(`<img src="/${name}.jpg">`)).path,
    );
    const missing = join(folder, 'missing.html');
    const files = [names[0], missing, names[1], stuck, names[2]].map((file) => ({
      ...{ content: { file: file as string }, format: 'html' as const },
    }));
    const found = await inspector.readDocuments(files);
    expect(found.map((one) => ('fault' in one ? one.fault : one.references[0]?.address))).toEqual([
      '/a.jpg',
      expect.stringMatching(/no such file/),
      '/b.jpg',
      expect.stringMatching(/took longer/),
      '/c.jpg',
    ]);
  });

  test('begun again in the middle keep the results of documents with their documents', async () => {
    const inspector = open();
    const stuck = join(folder, 'stuck.html');
    execFileSync('mkfifo', [stuck]);
    const page = (name: string) => `<img src="/${name}.jpg">`;
    // So long that its result is told before the next one is read.
    const first = write('first.html', encode(page('first') + '<p class=x>'.repeat(500_000))).path;
    const last = write('last.html', encode(page('last'))).path;
    const documents = [first, stuck, last].map((file) => ({
      ...{ content: { file: file as string }, format: 'html' as const },
    }));
    const read = inspector.readDocuments(documents);
    // It can be opened once the process reads it: then the one before is done.
    let pipe = await openForReader(stuck);
    const [killed = 0] = inspector.pids;
    process.kill(killed, 'SIGKILL');
    await eventually(async () => inspector.pids.length === 1 && !inspector.pids.includes(killed));
    await pipe.close();
    pipe = await openForReader(stuck);
    await pipe.writeFile(page('stuck'));
    await pipe.close();
    const addresses = (await read).map((one) =>
      'fault' in one ? one.fault : one.references.map(({ address }) => address),
    );
    expect(addresses).toEqual([['/first.jpg'], ['/stuck.jpg'], ['/last.jpg']]);
  });

  test('that were stopped from outside are ended, and what they had is read by another', async () => {
    const inspector = open({ timeoutMs: 5000 });
    const [first, second] = [write('a.jpg', await photo(30, 20, 1)), write('b.jpg', await photo(31, 20, 2))];
    await inspector.inspect(first);
    const [pid = 0] = inspector.pids;
    process.kill(pid, 'SIGSTOP');
    const found = await inspector.inspect(second);
    expect(found.size?.width).toBe(31);
    await eventually(async () => !inspector.pids.includes(pid));
  });
});
