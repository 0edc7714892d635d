import { execFileSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import sharp from 'sharp';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { api, codes } from '../testing/calls.js';
import { cameraRaw } from '../testing/camera-raw.js';
import { recipe } from '../testing/derived.js';
import { form, startTestServer, type TestServer } from '../testing/harness.js';

// What phones, studios and cameras send: upright, with renditions, or with a warning that says what is missing.

let server: TestServer;
let folder: string;
const FOLDER = '/sent';
const WIDE = { width: 300, height: 200 };

beforeAll(async () => {
  folder = mkdtempSync(join(tmpdir(), 'uniferum-sent-'));
  server = await startTestServer();
  await server.call('POST', `${api}/recipes`, {
    json: recipe('small', FOLDER, 60, { output: { format: 'webp', quality: 90 } }),
  });
  await server.call('POST', `${api}/recipes`, {
    json: recipe('second', `${FOLDER}/pages`, 60, {
      steps: [
        { op: 'page', page: 2 },
        { op: 'fit', mode: 'inside', width: 60 },
      ],
    }),
  });
});
afterAll(async () => {
  rmSync(folder, { recursive: true, force: true });
  await server.close();
});

/** Red at the left, blue at the right: turned wrongly, it shows. */
const upright = () =>
  sharp({ create: { ...WIDE, channels: 3, background: '#c02020' } }).composite([
    { input: { create: { width: 150, height: 200, channels: 3, background: '#2020c0' } }, left: 150, top: 0 },
  ]);
const pngOf = async (picture = upright()) => picture.png().toBuffer();
const noise = () =>
  sharp({
    create: { ...WIDE, channels: 3, background: '#888', noise: { type: 'gaussian', mean: 128, sigma: 50 } },
  })
    .png()
    .toBuffer();
/** As it is stored by a camera that was turned: upright once it is turned by 90° clockwise. */
const lying = async () =>
  sharp(
    await sharp(await pngOf())
      .rotate(270)
      .png()
      .toBuffer(),
  );

/** Converts by another program. */
async function madeBy(
  command: string,
  args: (from: string, to: string) => string[],
  end: string,
  from?: Buffer,
) {
  const [source, target] = [join(folder, 'source.png'), join(folder, `target.${end}`)];
  writeFileSync(source, from ?? (await pngOf()));
  // The image library in this process has set it for itself.
  execFileSync(command, args(source, target), { env: { ...process.env, VIPSHOME: undefined } });
  return readFileSync(target);
}

async function send(name: string, data: Buffer, to = FOLDER) {
  const { status, body } = await server.call('POST', `${api}/assets`, { body: form(to, [{ name, data }]) });
  await server.workUntilIdle();
  return { status, asset: body };
}

async function renditionsOf(id: string) {
  const { items } = (await server.call('GET', `${api}/assets/${id}/renditions`)).body;
  return items as { recipe: string; state: string; error: string | null; url: string; mime: string }[];
}

/** Whether the left is red and the right is blue. */
async function expectUpright(url: string): Promise<void> {
  const { pathname, search } = new URL(url);
  const { data, info } = await sharp((await server.call('GET', pathname + search)).bytes)
    .removeAlpha()
    .raw()
    .toBuffer({ resolveWithObject: true });
  expect(info.width / info.height).toBeCloseTo(1.5, 1);
  const at = (x: number) => [...data.subarray(((info.height >> 1) * info.width + x) * 3).subarray(0, 3)];
  const [left, right] = [at(4), at(info.width - 5)];
  expect([(left[0] ?? 0) > 150, (left[2] ?? 0) < 90], `left is ${left}`).toEqual([true, true]);
  expect([(right[2] ?? 0) > 150, (right[0] ?? 0) < 90], `right is ${right}`).toEqual([true, true]);
}

describe('pictures that no browser shows', () => {
  test.each([
    [
      'heic',
      'image/heic',
      'image/jpeg',
      () => madeBy('vips', (from, to) => ['heifsave', from, to, '--compression', 'hevc', '-Q', '90'], 'heic'),
    ],
    ['jxl', 'image/jxl', 'image/jpeg', () => madeBy('vips', (from, to) => ['jxlsave', from, to], 'jxl')],
    ['bmp', 'image/bmp', 'image/png', () => madeBy('convert', (from, to) => [from, to], 'bmp')],
    ['psd', 'image/x-psd', 'image/png', () => madeBy('convert', (from, to) => [from, to], 'psd')],
    ['dng', 'image/x-dcraw', 'image/jpeg', async () => cameraRaw(await (await lying()).jpeg().toBuffer(), 6)],
  ])('a %s has its size, and renditions that browsers show', async (end, mime, kept, make) => {
    const { status, asset } = await send(`a.${end}`, await make());
    expect([status, asset.verdict.outcome, asset.mime, asset.kind]).toEqual([201, 'accepted', mime, 'image']);
    expect([asset.width, asset.height]).toEqual([WIDE.width, WIDE.height]);
    const [made] = await renditionsOf(asset.id);
    expect([made?.state, made?.error]).toEqual(['fresh', null]);
    await expectUpright(made?.url ?? '');
    const keeping = recipe('kept', FOLDER, 50, { output: { format: 'keep', quality: 90, metadata: 'none' } });
    const preview = await server.call('POST', `${api}/recipes/preview`, {
      json: { asset: asset.id, steps: keeping.steps, output: keeping.output },
    });
    expect([preview.status, preview.body.mime]).toEqual([200, kept]);
  });

  test('a HEIC says in its texts what it has embedded', async () => {
    const heic = join(folder, 'described.heic');
    writeFileSync(
      heic,
      await madeBy('vips', (from, to) => ['heifsave', from, to, '--compression', 'hevc'], 'heic'),
    );
    execFileSync('exiftool', [
      '-q',
      '-overwrite_original',
      '-XMP-dc:Title=The crossing',
      '-EXIF:DateTimeOriginal=2026:05:04 10:00:00',
      heic,
    ]);
    const { asset } = await send('described.heic', readFileSync(heic));
    expect([asset.title, asset.capturedAt]).toEqual(['The crossing', expect.stringContaining('2026-05-04')]);
  });

  test('a PSD and a camera raw file too', async () => {
    const psd = join(folder, 'described.psd');
    writeFileSync(psd, await madeBy('convert', (from, to) => [from, to], 'psd'));
    execFileSync('exiftool', ['-q', '-overwrite_original', '-XMP-dc:Title=From a studio', psd]);
    expect((await send('described.psd', readFileSync(psd))).asset.title).toBe('From a studio');
  });

  test('a PSD of 16 bits per channel is taken in with a warning', async () => {
    const data = await madeBy('convert', (from, to) => [from, '-depth', '16', to], 'psd');
    const { asset } = await send('deep.psd', data);
    expect([asset.verdict.outcome, codes(asset.verdict)]).toEqual(['warned', 'reduced']);
  });

  test('a camera raw file without a preview is kept, and whoever sends it is told', async () => {
    const { asset } = await send('blind.dng', cameraRaw(null, 1));
    expect([asset.verdict.outcome, codes(asset.verdict), asset.width]).toEqual([
      'warned',
      'not-showable',
      null,
    ]);
    const [made] = await renditionsOf(asset.id);
    expect([made?.state, made?.error]).toEqual([
      'not-applicable',
      expect.stringContaining('no embedded preview'),
    ]);
  });

  test('one that broke off is refused, or fails with a reason; neither names a path', async () => {
    const cut = (data: Buffer) => data.subarray(0, Math.round(data.length * 0.7));
    const heic = await send(
      'cut.heic',
      cut(await madeBy('vips', (from, to) => ['heifsave', from, to, '--compression', 'hevc'], 'heic')),
    );
    expect([heic.status, codes(heic.asset.verdict)]).toEqual([422, 'unreadable']);
    const jxl = await send(
      'cut.jxl',
      cut(await madeBy('vips', (from, to) => ['jxlsave', from, to], 'jxl', await noise())),
    );
    const [made] = await renditionsOf(jxl.asset.id);
    expect([made?.state, made?.error]).toEqual(['failed', expect.stringContaining('its pixels are broken')]);
    expect(JSON.stringify([heic.asset, made])).not.toMatch(/\/tmp|uniferum-converted|\/work/);
  });

  test.each(['jxl', 'psd', 'bmp'])('a %s that is nothing but its first bytes is refused', async (end) => {
    const heads: Record<string, string> = { jxl: '\xff\x0a\0\0', psd: '8BPS\0\x01', bmp: 'BM123456' };
    const { status, asset } = await send(`false.${end}`, Buffer.from(heads[end] ?? '', 'latin1'));
    expect([status, codes(asset.verdict)]).toEqual([422, 'unreadable']);
    expect(JSON.stringify(asset)).not.toMatch(/\/tmp|\/work|vips/);
  });
});

// Source: CIPA DC-008 (Exif), Orientation: 6 is upright after a turn of 90° clockwise.
describe('the orientation', () => {
  /** A comment before Exif, as some programs write it. */
  const withComment = (jpeg: Buffer) =>
    Buffer.concat([
      jpeg.subarray(0, 2),
      Buffer.from([0xff, 0xfe, 0, 6, 0x73, 0x61, 0x69, 0x64]),
      jpeg.subarray(2),
    ]);

  test.each([
    [
      'a JPEG',
      'jpg',
      async () => (await lying()).withMetadata({ orientation: 6 }).jpeg({ quality: 95 }).toBuffer(),
    ],
    [
      'a JPEG with a comment before Exif',
      'jpg',
      async () =>
        withComment(await (await lying()).withMetadata({ orientation: 6 }).jpeg({ quality: 95 }).toBuffer()),
    ],
    ['a PNG', 'png', async () => (await lying()).withMetadata({ orientation: 6 }).png().toBuffer()],
    [
      'a WebP',
      'webp',
      async () => (await lying()).withMetadata({ orientation: 6 }).webp({ quality: 95 }).toBuffer(),
    ],
    [
      'a TIFF',
      'tif',
      async () => (await lying()).withMetadata({ orientation: 6 }).tiff({ compression: 'lzw' }).toBuffer(),
    ],
  ])('of %s is that of the picture, everywhere', async (what, end, make) => {
    const { asset } = await send(`${what.replaceAll(' ', '-')}.${end}`, await make());
    expect([asset.width, asset.height]).toEqual([WIDE.width, WIDE.height]);
    const [made] = await renditionsOf(asset.id);
    await expectUpright(made?.url ?? '');
    const info = (await server.call('GET', `/iiif/3/${asset.id}/info.json`)).body;
    expect([info.width, info.height]).toEqual([WIDE.width, WIDE.height]);
    await expectUpright(`${server.url}/iiif/3/${asset.id}/full/max/0/default.png`);
  });
});

describe('files of several pictures', () => {
  /** A TIFF of two pages, written by another program. */
  async function twoPages(): Promise<Buffer> {
    const [first, second] = [join(folder, 'first.png'), join(folder, 'second.png')];
    writeFileSync(first, await pngOf());
    writeFileSync(
      second,
      await sharp({ create: { width: 90, height: 180, channels: 3, background: '#20a020' } })
        .png()
        .toBuffer(),
    );
    execFileSync('convert', [first, second, join(folder, 'two.tif')]);
    return readFileSync(join(folder, 'two.tif'));
  }

  test('of a TIFF, the first page is shown, also as WebP, and a recipe can choose another', async () => {
    const { asset } = await send('two.tif', await twoPages(), `${FOLDER}/pages`);
    expect([asset.width, asset.height]).toEqual([WIDE.width, WIDE.height]);
    const made = new Map((await renditionsOf(asset.id)).map((one) => [one.recipe, one]));
    expect([made.get('small')?.state, made.get('small')?.mime]).toEqual(['fresh', 'image/webp']);
    await expectUpright(made.get('small')?.url ?? '');
    const { pages = 1 } = await sharp(
      (await server.call('GET', new URL(made.get('small')?.url ?? '').pathname)).bytes,
    ).metadata();
    expect(pages).toBe(1);
    const second = await sharp(
      (await server.call('GET', new URL(made.get('second')?.url ?? '').pathname)).bytes,
    ).metadata();
    expect([second.width, second.height]).toEqual([60, 120]);
  });

  test("a page that a picture doesn't have is no failure", async () => {
    const { asset } = await send('one.png', await pngOf(), `${FOLDER}/pages`);
    const second = (await renditionsOf(asset.id)).find((one) => one.recipe === 'second');
    expect([second?.state, second?.error]).toEqual([
      'not-applicable',
      expect.stringContaining('it has 1 page'),
    ]);
  });

  test('of an animated PNG, the first frame is shown, with a warning', async () => {
    const frames = join(folder, 'frame-%d.png');
    for (const [n, colour] of ['#c02020', '#2020c0'].entries())
      writeFileSync(
        frames.replace('%d', String(n)),
        await sharp({ create: { ...WIDE, channels: 3, background: colour } })
          .png()
          .toBuffer(),
      );
    execFileSync('ffmpeg', [
      '-v',
      'error',
      '-y',
      '-i',
      frames,
      '-plays',
      '0',
      '-f',
      'apng',
      join(folder, 'moving.png'),
    ]);
    const { asset } = await send('moving.png', readFileSync(join(folder, 'moving.png')));
    expect([asset.verdict.outcome, codes(asset.verdict)]).toEqual(['warned', 'reduced']);
    expect((await renditionsOf(asset.id))[0]?.state).toBe('fresh');
  });

  test('16 bits for each channel are announced to become 8', async () => {
    const { asset } = await send(
      'deep.png',
      await sharp(await pngOf())
        .toColourspace('rgb16')
        .png()
        .toBuffer(),
    );
    expect([asset.verdict.outcome, codes(asset.verdict)]).toEqual(['warned', 'reduced']);
    expect(asset.verdict.reasons[0].message).toMatch(/more than 8 bits per channel/);
  });
});
