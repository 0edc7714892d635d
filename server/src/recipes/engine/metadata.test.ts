import { execFileSync } from 'node:child_process';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { PictureStep, Recipe } from '@uniferum/core/recipes';
import sharp, { type Metadata } from 'sharp';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { photo } from '../../testing/harness.js';
import { plainRecipe } from '../../testing/plain-recipe.js';
import { renderJob } from './render.js';

// What renditions have embedded, as an independent program reads it; and their colours, as another one converts them.

let folder: string;
let described: string;
const FORMATS = ['jpeg', 'png', 'webp', 'avif'] as const;

/** Whatever is wrong with characters or lengths shows in these. */
const RIGHTS = {
  '-XMP-dc:Creator': 'Zoë Ørland 海',
  '-XMP-photoshop:Credit': 'Skerry Trust / Zoë',
  '-XMP-dc:Rights': '© 2026 Skerry Trust <all> & "each"',
  '-XMP-xmpRights:UsageTerms': 'Only with the lamp lit — ask first',
  '-XMP-xmpRights:WebStatement': 'https://skerry.example/rights?a=1&b=2',
  '-XMP-xmpRights:Marked': 'True',
} as const;

/** Runs exiftool, by which Exif, IPTC and XMP are written and read. */
function exiftool(...args: string[]): string {
  return execFileSync('exiftool', ['-m', '-q', '-charset', 'iptc=utf8', ...args], { encoding: 'utf8' });
}

type Tags = Record<string, string | number | boolean>;

function read(data: Uint8Array, name: string): Tags {
  const path = join(folder, name);
  writeFileSync(path, data);
  return JSON.parse(exiftool('-j', '-G1', '-a', '-u', '-struct', path))[0];
}

beforeAll(async () => {
  folder = mkdtempSync(join(tmpdir(), 'uniferum-metadata-'));
  described = join(folder, 'described.jpg');
  const preview = join(folder, 'preview.jpg');
  writeFileSync(
    preview,
    await sharp(await photo(160, 120))
      .jpeg()
      .toBuffer(),
  );
  writeFileSync(
    described,
    await sharp(await photo(900, 600))
      .withIccProfile('p3')
      .jpeg()
      .toBuffer(),
  );
  const other = { Make: 'Puffin', GPSLatitude: '58.5', GPSLatitudeRef: 'N', SerialNumber: 'SN-4711' };
  exiftool(
    ...['-overwrite_original', '-codedcharacterset=utf8'],
    ...Object.entries(RIGHTS).map(([tag, value]) => `${tag}=${value}`),
    ...Object.entries(other).map(([tag, value]) => `-EXIF:${tag}=${value}`),
    ...['-EXIF:Artist=Zoë Ørland 海', '-EXIF:Copyright=© 2026 Skerry Trust <all> & "each"'],
    ...[
      `-ThumbnailImage<=${preview}`,
      `-XMP-xmp:ThumbnailImage<=${preview}`,
      `-PhotoshopThumbnail<=${preview}`,
    ],
    ...['-IPTC:By-line=Zoë Ørland 海', '-IPTC:City=Lamphaven', '-XMP-dc:Title=The crossing'],
    ...['-n', '-EXIF:Orientation=6', '-XMP-tiff:Orientation=6', '-EXIF:ColorSpace=65535'],
    ...['-EXIF:ExifImageWidth=900', '-XMP-exif:ExifImageWidth=900'],
    described,
  );
});
afterAll(() => rmSync(folder, { recursive: true, force: true }));

async function render(
  path: string,
  recipes: Recipe[],
  { mime = 'image/jpeg', keepDecoded = false } = {},
): Promise<Uint8Array[]> {
  const { made, failed } = await renderJob({
    file: { path, mime, kind: 'image', sha256: path },
    ...{ recipes, focal: null, marks: {}, look: false, maxPixels: 1e8, keepDecoded },
  });
  expect(failed).toEqual([]);
  return made.map(({ data }) => data);
}

const FIT: PictureStep = { op: 'fit', mode: 'inside', width: 300, height: 300 };
const CHAINS: PictureStep[][] = [
  [FIT],
  [FIT, { op: 'sepia' }],
  [{ op: 'crop', left: 10, top: 20, width: 200, height: 100 }],
];
/** With and without steps, and two that share a decoded picture. */
const recipesOf = (output: Partial<Recipe['output']>): Recipe[] =>
  CHAINS.map((steps, n) => plainRecipe(steps, output, { name: `r${n}` }));

const tagsLike = (tags: Tags, pattern: RegExp) => Object.keys(tags).filter((tag) => pattern.test(tag));
/** `-u` and `-a` list them wherever they are. */
const PREVIEWS = /thumbnail|preview|jpgfromraw|PhotoshopThumbnail|IFD1|MakerNote/i;

test('the source has previews in all the places that can hold one', () => {
  const tags = JSON.parse(exiftool('-j', '-G1', '-a', '-u', described))[0];
  expect(tagsLike(tags, PREVIEWS).length).toBeGreaterThan(3);
});

describe.each(FORMATS)('rights in a %s', (format) => {
  let made: Tags[];
  beforeAll(async () => {
    const datas = await render(described, recipesOf({ format, metadata: 'rights' }));
    made = datas.map((data, n) => read(data, `rights-${n}.${format}`));
  });

  // Source: IPTC Photo Metadata Standard 2023.1: Creator, Credit Line, Copyright Notice, Rights Usage Terms, Web Statement of
  // Rights; ISO 16684-1, 8.5.2: Marked.
  test('are whole, in every character', () => {
    for (const tags of made)
      expect(tags).toMatchObject({
        'XMP-dc:Creator': [RIGHTS['-XMP-dc:Creator']],
        'XMP-photoshop:Credit': RIGHTS['-XMP-photoshop:Credit'],
        'XMP-dc:Rights': RIGHTS['-XMP-dc:Rights'],
        'XMP-xmpRights:UsageTerms': RIGHTS['-XMP-xmpRights:UsageTerms'],
        'XMP-xmpRights:WebStatement': RIGHTS['-XMP-xmpRights:WebStatement'],
        'XMP-xmpRights:Marked': true,
        'IFD0:Artist': RIGHTS['-XMP-dc:Creator'],
        'IFD0:Copyright': RIGHTS['-XMP-dc:Rights'],
      });
  });

  test('come without anything else: no preview, no place, no camera, no profile', () => {
    for (const tags of made) {
      expect(tagsLike(tags, PREVIEWS)).toEqual([]);
      expect(tagsLike(tags, /GPS|Make$|Serial|Title|City|ICC/)).toEqual([]);
      expect(tags['ExifTool:Warning'] ?? 'none').toMatch(/none|Improper EXIF header/);
    }
  });
});

test('a JPEG has rights for older programs as well', async () => {
  const [data = new Uint8Array()] = await render(
    described,
    recipesOf({ format: 'jpeg', metadata: 'rights' }),
  );
  expect(read(data, 'iptc.jpg')).toMatchObject({
    'IPTC:By-line': RIGHTS['-XMP-dc:Creator'],
    'IPTC:Credit': RIGHTS['-XMP-photoshop:Credit'],
    'IPTC:CopyrightNotice': RIGHTS['-XMP-dc:Rights'],
  });
});

test('a file without rights gets none, and keeps no metadata of another kind', async () => {
  const plain = join(folder, 'plain.jpg');
  writeFileSync(
    plain,
    await sharp(await photo(400, 300))
      .withExif({ IFD0: { Make: 'Puffin' } })
      .jpeg()
      .toBuffer(),
  );
  for (const data of await render(plain, recipesOf({ format: 'webp', metadata: 'rights' })))
    expect((await sharp(data).metadata()).exif).toBeUndefined();
});

describe.each(FORMATS)('all metadata in a %s', (format) => {
  let made: { tags: Tags; header: Metadata }[];
  beforeAll(async () => {
    const datas = await render(described, recipesOf({ format, metadata: 'all' }));
    made = await Promise.all(
      datas.map(async (data, n) => ({
        tags: read(data, `all-${n}.${format}`),
        header: await sharp(data).metadata(),
      })),
    );
  });

  test('is there, without previews', () => {
    for (const { tags } of made) {
      expect(tags).toMatchObject({
        'IFD0:Make': 'Puffin',
        'ExifIFD:SerialNumber': 'SN-4711',
        'XMP-dc:Title': 'The crossing',
        'XMP-dc:Creator': [RIGHTS['-XMP-dc:Creator']],
        'IFD0:Artist': RIGHTS['-XMP-dc:Creator'],
      });
      expect(tags['GPS:GPSLatitude']).toContain('58 deg 30');
      // Its list of thumbnails is there, without pictures.
      expect(JSON.stringify(tags['XMP-xmp:Thumbnails'] ?? '')).not.toMatch(/Binary data [1-9]|base64/);
      expect(tagsLike(tags, PREVIEWS).filter((tag) => tag !== 'XMP-xmp:Thumbnails')).toEqual([]);
      if (format === 'jpeg') expect(tags['IPTC:City']).toBe('Lamphaven');
    }
  });

  test('describes the picture that it is in', () => {
    for (const { tags, header } of made) {
      expect(tags).toMatchObject({
        'IFD0:Orientation': 'Horizontal (normal)',
        'XMP-tiff:Orientation': 'Horizontal (normal)',
        'ExifIFD:ColorSpace': 'sRGB',
        'ExifIFD:ExifImageWidth': header.width,
        'XMP-exif:ExifImageWidth': header.width,
      });
      expect(header.icc).toBeUndefined();
      expect(header.hasAlpha).toBe(false);
    }
  });
});

test('an animation with all of its metadata is still one', async () => {
  const moving = join(folder, 'moving.webp');
  const frames = Buffer.concat([40, 120, 200].map((value) => Buffer.alloc(40 * 30 * 3, value)));
  writeFileSync(
    moving,
    await sharp(frames, { raw: { width: 40, height: 90, channels: 3, pageHeight: 30 } })
      .withExif({ IFD0: { Make: 'Puffin' } })
      .webp({ delay: [100, 100, 100] })
      .toBuffer(),
  );
  for (const data of await render(moving, recipesOf({ format: 'webp', metadata: 'all' }).slice(0, 2), {
    mime: 'image/webp',
  })) {
    const { pages, exif } = await sharp(data).metadata();
    expect(pages).toBe(3);
    expect(exif?.toString('latin1')).toContain('Puffin');
  }
});

describe('colours of a wide gamut', () => {
  let wide: string;
  /** A red that sRGB doesn't have. */
  const VALUES = [230, 40, 60] as const;
  beforeAll(async () => {
    wide = join(folder, 'wide.png');
    // The encoder converts to the profile that it is given: values are put under it afterwards.
    const profiled = await sharp({ create: { width: 8, height: 8, channels: 3, background: '#888888' } })
      .withIccProfile('p3')
      .png()
      .toBuffer();
    const { icc } = await sharp(profiled).metadata();
    const profile = join(folder, 'p3.icc');
    writeFileSync(profile, icc ?? Buffer.alloc(0));
    const [r, g, b] = VALUES;
    const flat = await sharp({ create: { width: 400, height: 300, channels: 3, background: { r, g, b } } })
      .png()
      .toBuffer();
    writeFileSync(wide, flat);
    exiftool('-overwrite_original', `-ICC_Profile<=${profile}`, wide);
  });

  /** The middle of a picture in sRGB, converted by ImageMagick with littlecms. */
  function inSrgb(path: string, x = 150): number[] {
    const srgb = join(folder, 'srgb.icc');
    if (!convertsTo) writeFileSync(srgb, srgbProfile);
    convertsTo = true;
    const out = execFileSync('convert', [
      path,
      '-profile',
      srgb,
      '-depth',
      '8',
      '-crop',
      `1x1+${x}+60`,
      'rgb:-',
    ]);
    return [...out.subarray(0, 3)];
  }
  let convertsTo = false;
  let srgbProfile: Buffer;
  beforeAll(async () => {
    const tagged = await sharp({ create: { width: 4, height: 4, channels: 3, background: '#888888' } })
      .withIccProfile('srgb')
      .png()
      .toBuffer();
    srgbProfile = (await sharp(tagged).metadata()).icc ?? Buffer.alloc(0);
  });

  const saved = (data: Uint8Array, name: string) => {
    const path = join(folder, name);
    writeFileSync(path, data);
    return path;
  };
  const distance = (a: readonly number[], b: readonly number[]) =>
    Math.max(...a.map((value, n) => Math.abs(value - (b[n] ?? 0))));

  test.each(['none', 'rights', 'all'] as const)(
    'become sRGB, whatever metadata is kept (%s)',
    async (metadata) => {
      const expected = inSrgb(wide);
      for (const data of await render(wide, recipesOf({ format: 'png', metadata }).slice(0, 1), {
        mime: 'image/png',
      })) {
        const { data: pixels } = await sharp(data, {}).raw().toBuffer({ resolveWithObject: true });
        expect(distance([...pixels.subarray(0, 3)], expected)).toBeLessThanOrEqual(2);
        expect((await sharp(data).metadata()).icc).toBeUndefined();
      }
    },
  );

  test.each(['png', 'jpeg', 'webp', 'avif'] as const)(
    'are kept in a %s with their profile, where a recipe says so',
    async (format) => {
      const border: PictureStep = { op: 'border', width: 40, colour: '#3366cc' };
      const recipes = [
        plainRecipe([FIT], { format, quality: 95, colour: 'keep' }, { name: 'direct' }),
        plainRecipe([FIT, border], { format, quality: 95, colour: 'keep' }, { name: 'steps' }),
        plainRecipe(
          [{ ...FIT, width: 120 }],
          { format, quality: 95, colour: 'keep', metadata: 'all' },
          { name: 'small' },
        ),
      ];
      for (const keepDecoded of [false, true])
        for (const [n, data] of (await render(wide, recipes, { mime: 'image/png', keepDecoded })).entries()) {
          const { icc, channels } = await sharp(data).metadata();
          expect(channels).toBe(3);
          expect(icc?.equals((await sharp(wide).metadata()).icc ?? Buffer.alloc(0))).toBe(true);
          const { data: values, info } = await sharp(data)
            .keepIccProfile()
            .raw()
            .toBuffer({ resolveWithObject: true });
          const middle = ((info.height >> 1) * info.width + (info.width >> 1)) * 3;
          expect(distance([...values.subarray(middle, middle + 3)], VALUES)).toBeLessThanOrEqual(4);
          if (n !== 1) continue;
          // The colour of a step looks as it was given.
          const { data: shown } = await sharp(data).raw().toBuffer({ resolveWithObject: true });
          const edge = (info.width * 20 + 20) * 3;
          expect(distance([...shown.subarray(edge, edge + 3)], [0x33, 0x66, 0xcc])).toBeLessThanOrEqual(4);
        }
    },
  );

  test('with transparency keep it', async () => {
    const clear = saved(
      await sharp(await sharp(wide).keepIccProfile().png().toBuffer())
        .keepIccProfile()
        .ensureAlpha(0.5)
        .png()
        .toBuffer(),
      'clear.png',
    );
    const [data = new Uint8Array()] = await render(
      clear,
      [plainRecipe([FIT, { op: 'flip', axis: 'horizontal' }], { format: 'png', colour: 'keep' })],
      { mime: 'image/png' },
    );
    const { data: values, info } = await sharp(data)
      .keepIccProfile()
      .raw()
      .toBuffer({ resolveWithObject: true });
    expect(info.channels).toBe(4);
    expect(distance([...values.subarray(0, 4)], [...VALUES, 128])).toBeLessThanOrEqual(2);
  });

  test('of a GIF are sRGB, since it has no profile', async () => {
    const [data = new Uint8Array()] = await render(
      wide,
      [plainRecipe([FIT], { format: 'gif', colour: 'keep' })],
      { mime: 'image/png' },
    );
    const { data: pixels } = await sharp(data).raw().toBuffer({ resolveWithObject: true });
    expect(distance([...pixels.subarray(0, 3)], inSrgb(wide))).toBeLessThanOrEqual(6);
  });
});
