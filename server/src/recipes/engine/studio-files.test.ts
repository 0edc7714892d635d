import { execFileSync } from 'node:child_process';
import { mkdtempSync, readFileSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { Step } from '@uniferum/core/recipes';
import sharp from 'sharp';
import { beforeAll, describe, expect, test } from 'vitest';
import { convertPicture } from '../../inspection/converted.js';
import { readHeader } from '../../inspection/embedded.js';
import { plainRecipe } from '../../testing/plain-recipe.js';
import { renderJob } from './render.js';

const folder = mkdtempSync(join(tmpdir(), 'uniferum-tiff-'));
const SIZE = { width: 96, height: 64 };
const COLOURS = ['#c82828', '#28c828', '#2828c8', '#c8c8c8'];

/** Four areas of a colour each, as another program stores them. */
function write(name: string, options: readonly string[], extension = 'tif'): string {
  const path = join(folder, `${name}.${extension}`);
  execFileSync('convert', [join(folder, 'source.png'), ...options, path]);
  return path;
}

beforeAll(async () => {
  const areas = COLOURS.map((background, n) => ({
    input: { create: { width: 48, height: 32, channels: 3 as const, background } },
    left: (n % 2) * 48,
    top: n < 2 ? 0 : 32,
  }));
  await sharp({ create: { ...SIZE, channels: 3, background: '#000000' } })
    .composite(areas)
    .png()
    .toFile(join(folder, 'source.png'));
});

async function render(path: string, steps: Step[] = [], mime = 'image/tiff') {
  const file = { path, mime, kind: 'image' as const, sha256: path };
  const work = { focal: null, marks: {}, look: true, maxPixels: 1_000_000 };
  return renderJob({ file, recipes: [plainRecipe(steps)], ...work });
}

/** The colour in the middle of each area. */
async function coloursOf(data: Uint8Array): Promise<number[][]> {
  const { data: pixels, info } = await sharp(data)
    .removeAlpha()
    .toColourspace('srgb')
    .raw()
    .toBuffer({ resolveWithObject: true });
  return [0, 1, 2, 3].map((n) => {
    const x = Math.floor(info.width * (n % 2 === 0 ? 0.25 : 0.75));
    const y = Math.floor(info.height * (n < 2 ? 0.25 : 0.75));
    return [...pixels.subarray((y * info.width + x) * 3, (y * info.width + x) * 3 + 3)];
  });
}

const rgbOf = (colour: string) => [1, 3, 5].map((at) => Number.parseInt(colour.slice(at, at + 2), 16));
/** Rec. 601 luma, as the program that writes the files has it by default. */
const greyOf = (colour: string) => {
  const [red = 0, green = 0, blue = 0] = rgbOf(colour);
  return Array(3).fill(Math.round(0.299 * red + 0.587 * green + 0.114 * blue));
};

function expectNear(found: number[][], wanted: number[][], most: number): void {
  for (const [area, colour] of wanted.entries())
    for (const [channel, value] of colour.entries())
      expect(Math.abs((found[area]?.[channel] ?? -999) - value)).toBeLessThanOrEqual(most);
}

const FLOAT = ['-define', 'quantum:format=floating-point'];
const GREY = ['-grayscale', 'Rec601Luma', '-type', 'Grayscale'];
const TRUE = ['-type', 'TrueColor'];

// Source: ImageMagick writes the files, and TIFF 6.0, sections 19 and 23, says what is in them.
describe.each<[string, string[], string[], (colour: string) => number[], number]>([
  ['bytes', [...TRUE, '-depth', '8'], [], rgbOf, 0],
  ['16 bits', [...TRUE, '-depth', '16'], ['deep'], rgbOf, 1],
  ['32 bits', [...TRUE, '-depth', '32'], ['deep'], rgbOf, 1],
  ['double precision', [...TRUE, ...FLOAT, '-depth', '64'], ['deep'], rgbOf, 1],
  ['floating-point grey', [...GREY, ...FLOAT, '-depth', '32'], ['deep'], greyOf, 2],
  ['bytes of CIELAB', ['-colorspace', 'Lab', ...TRUE, '-depth', '8'], [], rgbOf, 24],
  ['16 bits of CIELAB', ['-colorspace', 'Lab', '-depth', '16'], ['deep'], rgbOf, 24],
])('a TIFF of %s', (name, options, notes, colourOf, most) => {
  const stem = name.replaceAll(' ', '-');

  test('is rendered with its colours', async () => {
    const { made, failed, placeholder, phash } = await render(write(stem, options));
    expect(failed).toEqual([]);
    expect(made[0]).toMatchObject(SIZE);
    expectNear(await coloursOf(made[0]?.data ?? new Uint8Array()), COLOURS.map(colourOf), most);
    expect([typeof placeholder, typeof phash]).toEqual(['string', 'string']);
  });

  test('has the size of the upright picture, and a warning if it is reduced', async () => {
    const path = write(`${stem}-turned`, options);
    execFileSync('exiftool', ['-q', '-overwrite_original', '-n', '-Orientation=6', path]);
    const { size, notes: found, pages } = await readHeader(path, 'image/tiff');
    expect(size).toEqual({ width: 64, height: 96, orientation: 6 });
    expect([found, pages]).toEqual([notes, 1]);
    const { made } = await render(path);
    expect(made[0]).toMatchObject({ width: 64, height: 96 });
    const turned = [2, 0, 3, 1].map((n) => colourOf(COLOURS[n] ?? ''));
    expectNear(await coloursOf(made[0]?.data ?? new Uint8Array()), turned, most);
  });
});

// CMYK without a profile looks as whoever decodes it decides: a TIFF with the same inks is what a PSD must look like.
describe.each<[string, string, string[], string[]]>([
  ['psd', 'bytes of grey', [...GREY, '-depth', '8'], []],
  ['psd', '16 bits of grey', [...GREY, '-depth', '16'], ['deep']],
  ['psd', 'bytes of RGB', [...TRUE, '-depth', '8'], []],
  ['psd', '16 bits of RGB', [...TRUE, '-depth', '16'], ['deep']],
  ['psd', 'bytes of CMYK', ['-colorspace', 'CMYK', '-depth', '8'], []],
  ['psd', '16 bits of CMYK', ['-colorspace', 'CMYK', '-depth', '16'], ['deep']],
  ['bmp', 'bytes of RGB', [...TRUE, '-depth', '8'], []],
  ['bmp', 'grey', [...GREY, '-depth', '8'], []],
  ['bmp', 'a palette', ['-colors', '4', '-type', 'Palette'], []],
  ['bmp', 'black and white', ['-threshold', '50%', '-type', 'Bilevel'], []],
])('a %s of %s', (extension, name, options, notes) => {
  const mime = extension === 'psd' ? 'image/x-psd' : 'image/bmp';

  test('looks like a TIFF of the same, and has its size', async () => {
    const stem = `${extension}-${name.replaceAll(' ', '-')}`;
    const path = write(stem, options, extension);
    const inBytes = options.map((one) => (one === '16' ? '8' : one));
    const [made, same] = await Promise.all([render(path, [], mime), render(write(stem, inBytes))]);
    expect([made.failed, same.failed]).toEqual([[], []]);
    expect(made.made[0]).toMatchObject(SIZE);
    const wanted = await coloursOf(same.made[0]?.data ?? new Uint8Array());
    expectNear(await coloursOf(made.made[0]?.data ?? new Uint8Array()), wanted, 2);
    const { size, notes: found } = await readHeader(path, mime);
    expect([size, found]).toEqual([{ ...SIZE, orientation: null }, notes]);
  });
});

test.each([
  ['jxl', 'image/jxl', 'jxlsave', []],
  ['heic', 'image/heic', 'heifsave', ['--compression', 'hevc']],
])('a %s of grey is rendered', async (extension, mime, saver, options) => {
  const [grey, path] = [join(folder, 'grey.png'), join(folder, `grey.${extension}`)];
  execFileSync('convert', [join(folder, 'source.png'), ...GREY, grey]);
  // The image library in this process has set it for itself.
  execFileSync('vips', [saver, grey, path, ...options], { env: { ...process.env, VIPSHOME: undefined } });
  const { made, failed } = await render(path, [], mime);
  expect(failed).toEqual([]);
  expectNear(await coloursOf(made[0]?.data ?? new Uint8Array()), COLOURS.map(greyOf), 6);
});

test.each([
  ['CMYK', 4],
  ['CIELAB', 9],
])('a PSD in %s that ends after its header has a reason', async (_name, mode) => {
  const path = join(folder, `stub-${mode}.psd`);
  const header = Buffer.alloc(26);
  header.write('8BPS\0\x01', 'latin1');
  for (const [at, value] of [
    [17, 9],
    [21, 9],
    [13, 4],
    [23, 8],
    [25, mode],
  ] as const)
    header[at] = value;
  writeFileSync(path, header);
  const { failed } = await render(path, [], 'image/x-psd');
  expect(failed).toMatchObject([{ code: 'unreadable', reason: 'its header is broken' }]);
  writeFileSync(path, header.subarray(0, 20));
  await expect(readHeader(path, 'image/x-psd')).rejects.toThrow('its header is broken');
});

test.each([
  ['numbers', ['-depth', '32']],
  ['colours', ['-colorspace', 'Lab', '-type', 'TrueColor', '-depth', '8']],
])(
  'of several pages of unusual %s, each is rendered, and a further one does not apply',
  async (name, options) => {
    const path = join(folder, `pages-${name}.tif`);
    const solid = (colour: string) => ['(', '-size', '20x10', `xc:${colour}`, '-type', 'TrueColor', ')'];
    execFileSync('convert', [...solid('#c80000'), ...solid('#0000c8'), ...options, path]);
    expect((await readHeader(path, 'image/tiff')).pages).toBe(2);
    const second = await render(path, [{ op: 'page', page: 2 }]);
    const [red = 0, , blue = 0] = (await coloursOf(second.made[0]?.data ?? new Uint8Array()))[0] ?? [];
    expect(blue - red).toBeGreaterThan(120);
    const third = await render(path, [{ op: 'page', page: 3 }]);
    expect(third.failed).toMatchObject([{ code: 'not-applicable' }]);
    expect(third.failed[0]?.reason).toContain('2 pages');
  },
);

/** Changes what a little-endian TIFF says about its two extra channels. Source: TIFF 6.0, sections 2 and 18. */
function stateExtraSamples(path: string, kind: number): void {
  const file = readFileSync(path);
  const [extraSamples, short, count] = [338, 3, 2];
  const entry = Buffer.alloc(8);
  entry.writeUInt16LE(extraSamples, 0);
  entry.writeUInt16LE(short, 2);
  entry.writeUInt32LE(count, 4);
  const at = file.indexOf(entry);
  if (at < 0) throw new Error('Expected a TIFF with two extra channels');
  file.writeUInt16LE(kind, at + 8);
  file.writeUInt16LE(kind, at + 10);
  writeFileSync(path, file);
}

// Source: TIFF 6.0, section 18. Photo editors store masks and spot colours in this way.
test.each([
  ['RGB', 0, 3, TRUE, rgbOf],
  ['RGB', 2, 4, TRUE, rgbOf],
  ['grey', 0, 3, GREY, greyOf],
])(
  'of %s, an extra channel of kind %i is transparency only if it says so',
  async (name, kind, channels, options, colourOf) => {
    const stem = `extra-${name}-${kind}`;
    const plain = write(`${stem}-plain`, [...options, '-depth', '8']);
    const [mask, path] = [join(folder, `${stem}-mask.v`), join(folder, `${stem}.tif`)];
    const run = (...args: string[]) =>
      execFileSync('vips', args, { env: { ...process.env, VIPSHOME: undefined } });
    run('extract_band', plain, mask, '0');
    run('bandjoin', `${plain} ${mask} ${mask}`, path);
    stateExtraSamples(path, kind);
    const { made, failed, placeholder, phash } = await render(path);
    expect(failed).toEqual([]);
    const data = made[0]?.data ?? new Uint8Array();
    expect(
      (await sharp(data).toColourspace('srgb').raw().toBuffer({ resolveWithObject: true })).info.channels,
    ).toBe(channels);
    expectNear(await coloursOf(data), COLOURS.map(colourOf), 2);
    expect([typeof placeholder, typeof phash]).toEqual(['string', 'string']);
    expect((await readHeader(path, 'image/tiff')).size).toMatchObject(SIZE);
  },
);

test('one of signed numbers is kept, and no renditions apply to it', async () => {
  const path = write('signed', ['-define', 'quantum:format=signed', '-depth', '16']);
  expect(await readHeader(path, 'image/tiff')).toMatchObject({ size: SIZE, notes: ['measurements'] });
  const { made, failed } = await render(path);
  expect(made).toEqual([]);
  expect(failed).toMatchObject([{ code: 'not-applicable', reason: expect.stringContaining('signed') }]);
});

test('one with more pixels than are decoded is not converted', async () => {
  const path = write('large', ['-depth', '32', '-resize', '2000x2000!']);
  const { failed } = await render(path);
  expect(failed[0]?.reason).toContain('4000000 pixels');
});

describe('a panorama', () => {
  const WIDE = 17_000;

  /** Source: the published specification of PSD, "File Header Section" and "Image Data Section", from memory. */
  function widePsd(width: number): Buffer {
    const header = Buffer.alloc(26);
    header.write('8BPS', 0, 'latin1');
    header.writeUInt16BE(1, 4);
    header.writeUInt16BE(3, 12);
    header.writeUInt32BE(1, 14);
    header.writeUInt32BE(width, 18);
    header.writeUInt16BE(8, 22);
    header.writeUInt16BE(3, 24);
    // Three empty sections, no compression, and a row of each channel.
    return Buffer.concat([
      header,
      Buffer.alloc(12),
      Buffer.alloc(2),
      Buffer.alloc(width, 200),
      Buffer.alloc(width * 2),
    ]);
  }

  /** Source: BITMAPFILEHEADER and BITMAPINFOHEADER, from memory. */
  function wideBmp(width: number): Buffer {
    const row = Buffer.alloc(Math.ceil((width * 3) / 4) * 4);
    for (let x = 0; x < width; x += 1) row[x * 3 + 2] = 200;
    const header = Buffer.alloc(54);
    header.write('BM', 0, 'latin1');
    header.writeUInt32LE(header.length + row.length, 2);
    header.writeUInt32LE(header.length, 10);
    header.writeUInt32LE(40, 14);
    header.writeInt32LE(width, 18);
    header.writeInt32LE(1, 22);
    header.writeUInt16LE(1, 26);
    header.writeUInt16LE(24, 28);
    header.writeUInt32LE(row.length, 34);
    return Buffer.concat([header, row]);
  }

  test.each([
    ['image/x-psd', widePsd],
    ['image/bmp', wideBmp],
  ] as const)('as %s is wider than the program allows where it is installed', async (mime, wide) => {
    const path = join(folder, `wide.${mime.slice(-3)}`);
    writeFileSync(path, wide(WIDE));
    expect((await readHeader(path, mime)).size).toMatchObject({ width: WIDE, height: 1 });
    const { made, failed } = await render(path, [], mime);
    expect(failed).toEqual([]);
    const { data } = await sharp(made[0]?.data)
      .removeAlpha()
      .toColourspace('srgb')
      .raw()
      .toBuffer({ resolveWithObject: true });
    expect([...data.subarray(0, 3)]).toEqual([200, 0, 0]);
  });

  test('wider than any picture of its type says that it is too large, not that it is broken', async () => {
    const path = join(folder, 'too-wide.bmp');
    writeFileSync(path, wideBmp(300_001));
    await expect(convertPicture(path, 'image/bmp')).rejects.toThrow(
      'it has more pixels than this server can convert',
    );
  });

  test('is converted only from what it claims to be: no other type is read', async () => {
    const path = join(folder, 'source.png');
    await expect(convertPicture(path, 'image/bmp')).rejects.toThrow('its pixels are broken');
    await expect(convertPicture(path, 'image/x-other')).rejects.toThrow();
  });
});
