import { execFileSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import fc from 'fast-check';
import { SaxesParser } from 'saxes';
import sharp from 'sharp';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { BytesInMemory } from './bytes.js';
import { cleanFile, isCleanable } from './clean.js';
import type { CleanOptions, KeptMetadata } from './clean-options.js';
import { crc32 } from './clean-png.js';
import { applyPieces, lengthOfPieces, Patches, type Piece, slicePieces } from './edits.js';
import { blankPictures, NO_RIGHTS, writeExif, writeXmp } from './rights-blocks.js';

let folder: string;
beforeAll(() => {
  folder = mkdtempSync(join(tmpdir(), 'uniferum-clean-'));
});
afterAll(() => rmSync(folder, { recursive: true, force: true }));

const RIGHTS = {
  ...NO_RIGHTS,
  artist: 'Isbel Crane',
  copyright: '© Skerry Trust',
  webStatement: 'https://skerry.example/rights',
};
const cleanOptions = (keep: KeptMetadata, orientation: number | null = null): CleanOptions => ({
  keep,
  rights: RIGHTS,
  orientation,
});
const clean = (data: Uint8Array, mime: string, wanted: CleanOptions) =>
  Buffer.from(applyPieces(new BytesInMemory(data), cleanFile(new BytesInMemory(data), mime, wanted)));

/** What must not come out, as text that stands in the files. */
const SECRETS = ['SN-4711-SECRET', 'LENS-0815-SECRET', 'Hidden Cove', 'SECRET COMMENT', 'SecretTool 9'];

/** Reads all that an independent program finds, by group and name. */
function exiftool(path: string): Record<string, string> {
  const out = execFileSync('exiftool', ['-j', '-G1', '-a', '-u', '-n', path], { encoding: 'utf8' });
  return JSON.parse(out)[0];
}

/** Tags that say nothing but how the file is built. */
const namesOf = (tags: Record<string, string>, pattern: RegExp) =>
  Object.keys(tags).filter((name) => pattern.test(name));

const TELLING =
  /GPS|Serial|Make$|Model|Lens|Thumbnail|Preview|Comment|Date|Location|City|Software|CreatorTool|Keywords|Subject|Photoshop|MakerNote|MPF|Title|Encoder|Tags:/i;
/** Of the file system, and of the container itself. */
const HARMLESS =
  /^(?:System|ICC_Profile|ICC-header|ExifTool|Composite):|ProfileDateTime|^QuickTime:(?:Media|Track)HeaderVersion/;
const tellingOf = (tags: Record<string, string>) =>
  namesOf(tags, TELLING).filter(
    (name) => !HARMLESS.test(name) && !/^0000:00:00|^0$/.test(String(tags[name])),
  );

async function picture(
  format: 'jpeg' | 'png' | 'webp' | 'gif' | 'tiff' | 'avif',
  name = format,
): Promise<string> {
  const pixels = Buffer.from(Array.from({ length: 60 * 40 * 3 }, (_, n) => (n * 37) % 251));
  const path = join(folder, `${name}.${format === 'jpeg' ? 'jpg' : format}`);
  await sharp(pixels, { raw: { width: 60, height: 40, channels: 3 } })
    .withIccProfile('p3')
    .toFormat(format, format === 'tiff' ? { compression: 'lzw' } : {})
    .toFile(path);
  return path;
}

/** Writes everything into a file that must not come out, by an independent program. */
function describeFile(path: string, extra: readonly string[] = []): void {
  execFileSync('exiftool', [
    '-q',
    '-m',
    '-overwrite_original',
    '-XMP-dc:Title=Hidden Cove',
    '-XMP-xmp:CreatorTool=SecretTool 9',
    '-XMP-exif:GPSLatitude=58.1234',
    '-XMP-aux:SerialNumber=SN-4711-SECRET',
    '-XMP-dc:Rights=© Skerry Trust',
    ...extra,
    path,
  ]);
}

const EXIF = [
  '-EXIF:GPSLatitude=58.1234',
  '-EXIF:GPSLatitudeRef=N',
  '-EXIF:SerialNumber=SN-4711-SECRET',
  '-EXIF:LensSerialNumber=LENS-0815-SECRET',
  '-EXIF:Make=Puffin',
  '-EXIF:Model=One',
  '-EXIF:UserComment=SECRET COMMENT',
  '-EXIF:Software=SecretTool 9',
  '-EXIF:Artist=Isbel Crane',
  '-EXIF:Copyright=The Trust',
  '-n',
  '-EXIF:Orientation=6',
];

async function preview(): Promise<Buffer> {
  return sharp({ create: { width: 48, height: 32, channels: 3, background: '#c04020' } })
    .jpeg()
    .toBuffer();
}

const pixelsOf = (data: Buffer) =>
  sharp(data, { animated: true }).raw().toBuffer({ resolveWithObject: true });

describe.each([
  ['image/jpeg', 'jpeg', [...EXIF, '-Comment=SECRET COMMENT', '-IPTC:City=Hidden Cove']],
  ['image/png', 'png', [...EXIF, '-PNG:Comment=SECRET COMMENT']],
  ['image/webp', 'webp', EXIF],
  ['image/gif', 'gif', ['-Comment=SECRET COMMENT']],
  ['image/tiff', 'tiff', [...EXIF, '-IPTC:City=Hidden Cove']],
  ['image/avif', 'avif', EXIF.filter((option) => !option.includes('Orientation'))],
] as const)('%s', (mime, format, extra) => {
  let original: Buffer;
  beforeAll(async () => {
    const path = await picture(format);
    describeFile(path, extra);
    if (format === 'jpeg') {
      const thumbnail = join(folder, 'thumbnail.jpg');
      writeFileSync(thumbnail, await preview());
      execFileSync('exiftool', ['-q', '-overwrite_original', `-ThumbnailImage<=${thumbnail}`, path]);
    }
    original = readFileSync(path);
  });

  test('has something to hide', () => {
    const path = join(folder, `given.${format}`);
    writeFileSync(path, original);
    expect(tellingOf(exiftool(path)).length).toBeGreaterThan(2);
    expect(SECRETS.some((secret) => original.includes(secret))).toBe(true);
  });

  test.each(['rights', 'none'] as const)(
    'with %s kept shows the same and tells nothing else',
    async (keep) => {
      const cleaned = clean(original, mime, cleanOptions(keep, 6));
      const path = join(folder, `${keep}.${format}`);
      writeFileSync(path, cleaned);
      const tags = exiftool(path);
      expect(tellingOf(tags)).toEqual([]);
      for (const secret of SECRETS) expect(cleaned.includes(secret), secret).toBe(false);
      expect(namesOf(tags, /Warning|Error/)).toEqual([]);

      const [before, after] = await Promise.all([pixelsOf(original), pixelsOf(cleaned)]);
      expect(after.data.equals(before.data)).toBe(true);
      const { icc, orientation } = await sharp(cleaned).metadata();
      const first = await sharp(original).metadata();
      expect(icc?.length).toBe(first.icc?.length);
      expect(orientation).toBe(first.orientation);

      const saysWhose = namesOf(tags, /^(?!ICC).*(?:Artist|Creator)$/).map((name) => tags[name]);
      expect([...new Set(saysWhose)]).toEqual(keep === 'rights' ? ['Isbel Crane'] : []);
    },
  );

  test('with all but pictures kept says what it said', async () => {
    if (mime === 'image/tiff') return;
    const cleaned = clean(original, mime, cleanOptions('all-but-pictures', 6));
    const path = join(folder, `all.${format}`);
    writeFileSync(path, cleaned);
    const tags = exiftool(path);
    expect(namesOf(tags, /Thumbnail|Preview/)).toEqual([]);
    if (format !== 'gif')
      expect(namesOf(tags, /^GPS:GPSLatitude$|XMP-exif:GPSLatitude/).length).toBeGreaterThan(0);
    expect(cleaned.includes((await preview()).subarray(200))).toBe(false);
    expect((await pixelsOf(cleaned)).data.equals((await pixelsOf(original)).data)).toBe(true);
  });
});

test('what follows the end of a picture is left out', async () => {
  for (const [format, mime] of [
    ['jpeg', 'image/jpeg'],
    ['png', 'image/png'],
    ['gif', 'image/gif'],
    ['webp', 'image/webp'],
  ] as const) {
    const data = readFileSync(await picture(format, 'trailer' as typeof format));
    const cleaned = clean(
      Buffer.concat([data, Buffer.from('SECRET AFTER THE END')]),
      mime,
      cleanOptions('none'),
    );
    expect(cleaned.includes('SECRET')).toBe(false);
    expect((await pixelsOf(cleaned)).data.equals((await pixelsOf(data)).data)).toBe(true);
  }
});

test('a JPEG that broke off is shown as far as it goes; one with broken segments is not cleaned', async () => {
  const data = readFileSync(await picture('jpeg', 'half' as 'jpeg'));
  const half = data.subarray(0, data.length - 200);
  expect(clean(half, 'image/jpeg', cleanOptions('none')).subarray(-50).equals(half.subarray(-50))).toBe(true);
  const broken = Buffer.from(data);
  broken[2] = 0x12;
  expect(() => clean(broken, 'image/jpeg', cleanOptions('none'))).toThrow('a segment of it is broken');
});

test("previews in XMP, in image resources and in maker notes don't come along", async () => {
  const path = await picture('jpeg', 'previews' as 'jpeg');
  const thumbnail = join(folder, 'preview.jpg');
  writeFileSync(thumbnail, await preview());
  const base64 = readFileSync(thumbnail).toString('base64');
  const packet = join(folder, 'packet.xmp');
  writeFileSync(
    packet,
    `<x:xmpmeta xmlns:x="adobe:ns:meta/"><rdf:RDF xmlns:rdf="http://www.w3.org/1999/02/22-rdf-syntax-ns#"><rdf:Description rdf:about="" xmlns:xmpGImg="http://ns.adobe.com/xap/1.0/g/img/" xmlns:dc="http://purl.org/dc/elements/1.1/" dc:source="Kept Words" xmpGImg:image="${base64.replace(/.{76}/g, '$&&#xA;')}"/></rdf:RDF></x:xmpmeta>`,
  );
  execFileSync('exiftool', [
    ...['-q', '-m', '-overwrite_original', `-ThumbnailImage<=${thumbnail}`],
    ...[`-PhotoshopThumbnail<=${thumbnail}`, '-IPTC:City=Port', `-XMP<=${packet}`, path],
  ]);
  const original = readFileSync(path);
  expect(original.includes(base64.slice(0, 76))).toBe(true);
  const cleaned = clean(original, 'image/jpeg', cleanOptions('all-but-pictures'));
  const out = join(folder, 'no-previews.jpg');
  writeFileSync(out, cleaned);
  for (let at = 0; at + 19 <= base64.length; at += 19)
    expect(cleaned.includes(base64.slice(at, at + 19)), base64.slice(at, at + 19)).toBe(false);
  expect(cleaned.includes('Kept Words')).toBe(true);
  expect(namesOf(exiftool(out), /PhotoshopThumbnail|IFD1/)).toEqual([]);
  expect(exiftool(out)['IPTC:City']).toBe('Port');
});

describe('films', () => {
  const film = (name: string, options: string[]) => {
    const path = join(folder, name);
    execFileSync('ffmpeg', [
      ...['-v', 'error', '-y', '-f', 'lavfi', '-i', 'testsrc=duration=1:size=64x48:rate=5'],
      ...['-f', 'lavfi', '-i', 'sine=duration=1', ...options, path],
    ]);
    return path;
  };
  const METADATA = ['-metadata', 'title=Hidden Cove', '-metadata', 'comment=SECRET COMMENT'];
  const framesOf = (path: string) =>
    execFileSync('ffmpeg', ['-v', 'error', '-i', path, '-map', '0', '-f', 'framemd5', '-'], {
      encoding: 'utf8',
    }).replace(/^#.*\n/gm, '');

  test.each([
    ['video/mp4', 'a.mp4', ['-movflags', '+faststart']],
    ['video/quicktime', 'a.mov', ['-movflags', 'use_metadata_tags']],
    ['audio/mp4', 'a.m4a', ['-vn']],
    ['video/x-matroska', 'a.mkv', []],
    ['video/webm', 'a.webm', ['-c:v', 'libvpx', '-c:a', 'libvorbis']],
    ['video/avi', 'a.avi', []],
    ['audio/wav', 'a.wav', ['-vn']],
  ])('%s plays the same and tells nothing', (mime, name, options) => {
    const path = film(name, [...METADATA, ...options]);
    if (/mp4|quicktime/.test(mime))
      execFileSync('exiftool', [
        ...['-q', '-m', '-overwrite_original', '-UserData:GPSCoordinates#=58.12 -3.1 10'],
        ...['-Keys:GPSCoordinates#=58.12 -3.1 10', '-Keys:Make=Puffin', '-Keys:Artist=Isbel Crane'],
        ...['-UserData:Copyright=© Skerry', '-XMP-dc:Title=Hidden Cove', path],
      ]);
    const original = readFileSync(path);
    const source = new BytesInMemory(original);
    for (const keep of ['none', 'rights'] as const) {
      const pieces = cleanFile(source, mime, cleanOptions(keep));
      // Offsets within it point to where they did.
      expect(lengthOfPieces(pieces)).toBe(original.length);
      const cleaned = Buffer.from(applyPieces(source, pieces));
      for (const secret of [...SECRETS, '+58.12', '58.1200', 'Puffin'])
        expect(cleaned.includes(secret), secret).toBe(false);
      const out = join(folder, `cleaned-${name}`);
      writeFileSync(out, cleaned);
      expect(framesOf(out)).toBe(framesOf(path));
      expect(tellingOf(exiftool(out)).filter((tag) => !/Encoder/.test(tag))).toEqual(
        keep === 'none' ? [] : expect.not.arrayContaining([expect.stringMatching(/GPS|Make|Title/)]),
      );
      if (/mp4|quicktime/.test(mime))
        expect(namesOf(exiftool(out), /Artist|Copyright/).length > 0).toBe(keep === 'rights');
    }
  });

  test('a track of positions goes with its samples', () => {
    const subtitles = join(folder, 'positions.srt');
    writeFileSync(subtitles, '1\n00:00:00,000 --> 00:00:01,000\nHidden Cove 58.1234 N\n');
    const path = film('positions.mp4', ['-i', subtitles, '-map', '0:v', '-map', '2:s', '-c:s', 'mov_text']);
    const original = readFileSync(path);
    expect(original.includes('Hidden Cove')).toBe(true);
    const handler = original.indexOf('sbtl') >= 0 ? original.indexOf('sbtl') : original.indexOf('text');
    original.write('meta', handler, 'latin1');
    const cleaned = clean(original, 'video/mp4', cleanOptions('rights'));
    expect(cleaned.includes('Hidden Cove')).toBe(false);
    const out = join(folder, 'no-positions.mp4');
    writeFileSync(out, cleaned);
    expect(framesOf(out).trim().split('\n')).toHaveLength(5);
  });

  test('a stream without sizes, as browsers record it, is cleaned', () => {
    const path = join(folder, 'live.webm');
    const data = execFileSync('ffmpeg', [
      ...['-v', 'error', '-f', 'lavfi', '-i', 'testsrc=duration=1:size=64x48:rate=5', '-c:v', 'libvpx'],
      ...[...METADATA, '-live', '1', '-f', 'webm', '-'],
    ]);
    const cleaned = clean(data, 'video/webm', cleanOptions('none'));
    expect(cleaned.includes('Hidden Cove')).toBe(false);
    writeFileSync(path, cleaned);
    expect(framesOf(path).trim().split('\n')).toHaveLength(5);
  });
});

test('a JPEG XL in boxes loses its metadata, one without has none', () => {
  const box = (type: string, data: string) => {
    const bytes = Buffer.alloc(8 + data.length);
    bytes.writeUInt32BE(bytes.length);
    bytes.write(type + data, 4, 'latin1');
    return bytes;
  };
  const file = Buffer.concat([
    box('JXL ', '\r\n\x87\n'),
    box('ftyp', 'jxl \0\0\0\0jxl '),
    box('Exif', '\0\0\0\0SN-4711-SECRET'),
    box('xml ', '<x>Hidden Cove</x>'),
    box('jxlc', '\xff\x0a the picture'),
  ]);
  const cleaned = clean(file, 'image/jxl', cleanOptions('none'));
  expect(cleaned.length).toBe(file.length);
  for (const secret of SECRETS) expect(cleaned.includes(secret)).toBe(false);
  expect(cleaned.includes('the picture')).toBe(true);
  const bare = Buffer.from('\xff\x0a the picture', 'latin1');
  expect(clean(bare, 'image/jxl', cleanOptions('none')).equals(bare)).toBe(true);
});

describe('whatever a file holds', () => {
  test('cleaning ends soon, with pieces of the file or an error', async () => {
    const bases = await Promise.all(
      (['jpeg', 'png', 'webp', 'gif', 'tiff', 'avif'] as const).map(async (format) => {
        const path = await picture(format, 'base' as typeof format);
        describeFile(path, format === 'gif' ? [] : EXIF.filter((option) => !option.includes('Orientation')));
        return { mime: `image/${format}`, data: readFileSync(path) };
      }),
    );
    fc.assert(
      fc.property(
        fc.constantFrom(...bases),
        fc.array(fc.tuple(fc.nat(), fc.integer({ min: 0, max: 255 })), { maxLength: 12 }),
        fc.nat(),
        fc.constantFrom<KeptMetadata>('rights', 'none', 'all-but-pictures'),
        ({ mime, data }, changes, cut, keep) => {
          const odd = Buffer.from(data.subarray(0, cut % 4 === 0 ? cut % data.length : data.length));
          for (const [at, byte] of changes) if (odd.length > 0) odd[at % odd.length] = byte;
          const source = new BytesInMemory(odd);
          let pieces: Piece[];
          try {
            pieces = cleanFile(source, mime, cleanOptions(keep, 3));
          } catch (error) {
            expect(error).toBeInstanceOf(Error);
            expect((error as Error).message).not.toMatch(/undefined|not a function|Invalid/);
            return;
          }
          expect(lengthOfPieces(pieces)).toBeLessThan(odd.length + 5000);
          applyPieces(source, pieces);
        },
      ),
      { numRuns: 1000 },
    );
  });

  test('a number that a file states is not believed', () => {
    const tiff = Buffer.alloc(40);
    tiff.write('II*\0', 'latin1');
    tiff.writeUInt32LE(8, 4);
    tiff.writeUInt16LE(1, 8);
    tiff.writeUInt16LE(273, 10);
    tiff.writeUInt16LE(4, 12);
    tiff.writeUInt32LE(0xffffffff, 14);
    expect(cleanFile(new BytesInMemory(tiff), 'image/tiff', cleanOptions('none'))).toBeDefined();
    const box = Buffer.alloc(16);
    box.writeUInt32BE(1);
    box.write('moov', 4);
    box.fill(0xff, 8);
    expect(() => cleanFile(new BytesInMemory(box), 'video/mp4', cleanOptions('none'))).toThrow('no file has');
  });
});

describe('pieces', () => {
  test('patches give the file with what is written, and zeros where it is cleared', () => {
    const range = fc.tuple(fc.nat(60), fc.nat(20));
    fc.assert(
      fc.property(fc.array(range, { maxLength: 6 }), fc.array(range, { maxLength: 3 }), (clears, writes) => {
        const data = Uint8Array.from({ length: 64 }, (_, n) => n + 1);
        const patches = new Patches();
        const expected = data.slice();
        for (const [from, length] of clears) {
          patches.clear(from, from + length);
          expected.fill(0, from, Math.min(64, from + length));
        }
        let free = 0;
        for (const [gap, length] of writes) {
          const from = free + gap;
          const bytes = new Uint8Array(length).fill(255);
          patches.write(from, bytes);
          expected.fill(255, Math.min(64, from), Math.min(64, from + length));
          free = from + length;
        }
        const pieces = patches.toPieces(64);
        expect(applyPieces(new BytesInMemory(data), pieces)).toEqual(expected);
      }),
    );
  });

  test('a slice is what a slice of the whole is', () => {
    const data = Uint8Array.from({ length: 50 }, (_, n) => n);
    const pieces: Piece[] = [
      { from: 10, to: 20 },
      { bytes: Uint8Array.of(200, 201, 202) },
      { zeros: 4 },
      { from: 0, to: 7 },
    ];
    const source = new BytesInMemory(data);
    const whole = applyPieces(source, pieces);
    fc.assert(
      fc.property(fc.nat(23), fc.nat(23), (a, b) => {
        const [start, end] = [Math.min(a, b), Math.max(a, b)];
        expect(applyPieces(source, slicePieces(pieces, start, end))).toEqual(whole.subarray(start, end + 1));
      }),
    );
  });
});

test('what says whose it is is XML, whatever it says', () => {
  fc.assert(
    fc.property(fc.string({ minLength: 1, maxLength: 60, unit: 'binary' }), (text) => {
      const parser = new SaxesParser({ xmlns: true });
      let read = '';
      parser.on('text', (part) => {
        read += part;
      });
      parser.on('error', (error) => {
        throw error;
      });
      parser
        .write(new TextDecoder().decode(writeXmp({ ...NO_RIGHTS, copyright: text }) ?? undefined))
        .close();
      if (/^[\x20-\x7e]*$/.test(text)) expect(read).toBe(text);
    }),
  );
  expect(writeXmp(NO_RIGHTS)).toBeNull();
  expect(writeExif({ orientation: 1, rights: NO_RIGHTS })).toBeNull();
});

test('long runs of base64 are blanked, words are not', () => {
  const word = 'a sentence with words '.repeat(100);
  const run = 'QUJD'.repeat(300);
  const packet = new TextEncoder().encode(`<x>${word}</x><y>${run}</y>`);
  const blanked = new TextDecoder().decode(blankPictures(packet));
  expect(blanked).toBe(`<x>${word}</x><y>${' '.repeat(run.length)}</y>`);
});

// Source: the check value of CRC-32 (ISO/IEC 3309) for "123456789".
test('the checksum of chunks is the published one', () => {
  expect(crc32(new TextEncoder().encode('123456789'))).toBe(0xcbf43926);
});

test('types without metadata of pictures and films are told apart', () => {
  expect(['image/bmp', 'text/plain', 'constructor', 'image/svg+xml'].map(isCleanable)).toEqual(
    Array(4).fill(false),
  );
  expect(isCleanable('image/jpeg')).toBe(true);
  for (const mime of ['text/plain', 'constructor'])
    expect(() => cleanFile(new BytesInMemory(new Uint8Array(9)), mime, cleanOptions('none'))).toThrow(
      `a file of type ${mime} can't be cleaned`,
    );
});
