import { writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { chainSize, type PictureStep, type Recipe, type ToneStep, toneMatrix } from '@uniferum/core/recipes';
import fc from 'fast-check';
import sharp from 'sharp';
import { ssim } from 'ssim.js';
import { beforeAll, describe, expect, test } from 'vitest';
import { photo } from '../../testing/harness.js';
import { plainRecipe } from '../../testing/plain-recipe.js';
import type { MadeFile } from './job.js';
import { renderJob } from './render.js';

const recipe = (
  steps: Recipe['steps'],
  more: Partial<Recipe> = {},
  output: Partial<Recipe['output']> = {},
): Recipe => plainRecipe(steps, { quality: 90, ...output }, more);

const named = (name: string, width: number, height: number, mode: 'inside' | 'cover', output = {}): Recipe =>
  recipe([{ op: 'fit', mode, width, height }], { name }, output);

const LADDER = [
  named('wide', 1600, 1600, 'inside'),
  named('medium', 1000, 1000, 'inside'),
  named('small', 480, 480, 'inside'),
  named('tile', 240, 240, 'cover'),
];

async function render(
  path: string,
  recipes: Recipe[],
  { mime = 'image/jpeg', marks = {}, maxPixels = 1e8 } = {},
) {
  return renderJob({
    file: { path, mime, kind: 'image', sha256: path },
    recipes,
    focal: null,
    marks,
    look: false,
    maxPixels,
  });
}

/** Renders one file, and fails with the reason when it can't be. */
async function renderOne(path: string, one: Recipe, options = {}): Promise<MadeFile> {
  const { made, failed } = await render(path, [one], options);
  const main = made.find(({ variant }) => variant === null);
  if (!main) throw new Error(failed[0]?.reason ?? 'nothing was made');
  return main;
}

async function pixelsOf(data: Uint8Array) {
  const { data: pixels, info } = await sharp(data).ensureAlpha().raw().toBuffer({ resolveWithObject: true });
  const at = (x: number, y: number) => [
    ...pixels.subarray((y * info.width + x) * 4, (y * info.width + x) * 4 + 4),
  ];
  return { pixels, width: info.width, height: info.height, at };
}

/** A picture with what shows a bad resampling: fine stripes, hard edges, gradients and grain. */
async function testPicture(width: number, height: number): Promise<string> {
  const drawing = `<svg xmlns="http://www.w3.org/2000/svg" width="${width}" height="${height}"><defs><linearGradient id="g" x2="1" y2="1"><stop stop-color="#036"/><stop offset="1" stop-color="#fc9"/></linearGradient><pattern id="p" width="9" height="9" patternUnits="userSpaceOnUse" patternTransform="rotate(31)"><rect width="4" height="9" fill="#000"/></pattern></defs><rect width="100%" height="100%" fill="url(#g)"/><rect x="10%" y="10%" width="30%" height="40%" fill="url(#p)" opacity=".5"/><circle cx="65%" cy="45%" r="20%" fill="#a63"/></svg>`;
  const file = join(tmpdir(), `uniferum-render-${process.pid}-${width}x${height}.jpg`);
  await writeFile(
    file,
    await sharp(Buffer.from(drawing))
      .composite([{ input: await photo(width, height, 5), blend: 'soft-light' }])
      .flatten()
      .jpeg({ quality: 92 })
      .toBuffer(),
  );
  return file;
}

async function keptAs(name: string, data: Buffer): Promise<string> {
  const file = join(tmpdir(), `uniferum-render-${process.pid}-${name}`);
  await writeFile(file, data);
  return file;
}

async function similarity(a: Uint8Array, b: Uint8Array): Promise<number> {
  const read = async (data: Uint8Array) => {
    const { pixels, width, height } = await pixelsOf(data);
    return { data: new Uint8ClampedArray(pixels), width, height };
  };
  return ssim(await read(a), await read(b)).mssim;
}

let file: string;
let small: string;
beforeAll(async () => {
  file = await testPicture(2600, 1800);
  small = await testPicture(301, 200);
});

describe('renditions derived from one decoded base', () => {
  test('are as good as those made directly: structural similarity of at least 0.98', async () => {
    const { made } = await render(file, LADDER);
    expect(made).toHaveLength(4);
    for (const one of LADDER) {
      const derived = made.find(({ recipe: name }) => name === one.name);
      const direct = await renderOne(file, one);
      expect(
        await similarity(derived?.data ?? new Uint8Array(), direct.data),
        one.name,
      ).toBeGreaterThanOrEqual(0.98);
    }
  });

  test('at the smallest reduction that is allowed as well', async () => {
    const pair = [named('a', 1200, 1200, 'inside'), named('b', 1000, 1000, 'inside')];
    const { made } = await render(file, pair);
    const direct = await renderOne(file, pair[1] as Recipe);
    expect(await similarity(made[1]?.data ?? new Uint8Array(), direct.data)).toBeGreaterThanOrEqual(0.98);
  });
});

describe('the size of a chain', () => {
  const side = fc.integer({ min: 1, max: 400 });
  const colour = fc.constantFrom('#8a3a25', '#ffffff80', 'transparent');
  const step: fc.Arbitrary<PictureStep> = fc.oneof(
    fc.record({
      op: fc.constant('fit' as const),
      width: side,
      height: side,
      mode: fc.constantFrom('inside' as const, 'cover' as const, 'contain' as const, 'fill' as const),
      around: fc.constantFrom('focal' as const, 'centre' as const, 'interesting' as const),
      enlarge: fc.boolean(),
    }),
    fc.record({ op: fc.constant('crop' as const), aspect: fc.constantFrom('16:9', '1:1', '2.39:1', '9:21') }),
    fc.record({
      op: fc.constant('crop' as const),
      width: fc.integer({ min: 1, max: 100 }),
      height: fc.integer({ min: 1, max: 100 }),
      unit: fc.constantFrom('px' as const, 'percent' as const),
      around: fc.constantFrom('focal' as const, 'interesting' as const),
    }),
    fc.record({
      op: fc.constant('rotate' as const),
      degrees: fc.oneof(fc.constantFrom(90, 180, 270, -90), fc.double({ min: 1, max: 359, noNaN: true })),
      background: colour,
    }),
    fc.record({
      op: fc.constant('flip' as const),
      axis: fc.constantFrom('horizontal' as const, 'vertical' as const),
    }),
    fc.record({ op: fc.constant('border' as const), width: fc.integer({ min: 1, max: 40 }), colour }),
    fc.record({ op: fc.constant('corners' as const), radius: fc.integer({ min: 1, max: 60 }) }),
    fc.record({ op: fc.constant('sepia' as const), amount: fc.double({ min: 0, max: 1, noNaN: true }) }),
    fc.record({ op: fc.constant('pixelate' as const), size: fc.integer({ min: 2, max: 30 }) }),
    fc.record({ op: fc.constant('blur' as const), radius: fc.double({ min: 0.3, max: 5, noNaN: true }) }),
    fc.record({
      op: fc.constant('watermark' as const),
      words: fc.constant('Whin Ness'),
      size: fc.integer({ min: 1, max: 100 }),
    }),
  );

  test('that the planner computes is the size of what is made, to the pixel, for any chain', async () => {
    await fc.assert(
      fc.asyncProperty(fc.array(step, { minLength: 1, maxLength: 5 }), async (steps) => {
        const planned = chainSize({ width: 301, height: 200 }, steps);
        const { made, failed } = await render(small, [recipe(steps)]);
        if (!planned.ok) {
          expect(failed[0]?.code).toBe(planned.fault.code);
          return;
        }
        expect(failed).toEqual([]);
        expect({ width: made[0]?.width, height: made[0]?.height }).toEqual(planned.size);
        const { width, height } = await sharp(made[0]?.data).metadata();
        expect({ width, height }).toEqual(planned.size);
      }),
      { numRuns: 80 },
    );
  });

  test('after a trim depends on the pixels, and follows what it leaves', async () => {
    const framed = await keptAs(
      'framed.png',
      await sharp({ create: { width: 100, height: 60, channels: 3, background: '#123456' } })
        .extend({ left: 30, top: 12, right: 9, bottom: 0, background: '#ffffff' })
        .png()
        .toBuffer(),
    );
    const steps: PictureStep[] = [{ op: 'trim' }, { op: 'border', width: 2, colour: '#000000' }];
    const { width, height } = await renderOne(framed, recipe(steps), { mime: 'image/png' });
    expect([width, height]).toEqual([104, 64]);
    const planned = chainSize({ width: 139, height: 72 }, steps, {
      trimmed: () => ({ width: 100, height: 60 }),
    });
    expect(planned).toEqual({ ok: true, size: { width: 104, height: 64 }, isExact: true });
    expect(chainSize({ width: 139, height: 72 }, steps)).toMatchObject({ isExact: false });
  });
});

describe('pixels', () => {
  // Source: W3C Filter Effects Module Level 1, the matrices of grayscale, sepia, saturate, brightness and contrast.
  test.each<[ToneStep, number[], number[]]>([
    [{ op: 'greyscale' }, [200, 100, 50, 255], [118, 118, 118, 255]],
    [{ op: 'sepia' }, [200, 100, 50, 255], [165, 147, 114, 255]],
    [{ op: 'saturation', amount: 0 }, [200, 100, 50, 255], [118, 118, 118, 255]],
    [{ op: 'brightness', amount: 1.5 }, [200, 100, 50, 255], [255, 150, 75, 255]],
    [{ op: 'contrast', amount: 2 }, [200, 100, 50, 255], [255, 73, 0, 255]],
    [{ op: 'greyscale', amount: 0.5 }, [200, 100, 50, 255], [159, 109, 84, 255]],
  ])('%j', async (tone, before, after) => {
    const [r = 0, g = 0, b = 0] = before;
    const flat = await keptAs(
      `flat-${JSON.stringify(tone).length}-${tone.op}.png`,
      await sharp({ create: { width: 8, height: 8, channels: 3, background: { r, g, b } } })
        .png()
        .toBuffer(),
    );
    const { at } = await pixelsOf((await renderOne(flat, recipe([tone]), { mime: 'image/png' })).data);
    // The module leaves the rounding of a half open.
    for (const [index, value] of at(3, 3).entries())
      expect(Math.abs(value - (after[index] ?? 0))).toBeLessThanOrEqual(1);
  });

  test('rows of a matrix add up to 1, so that white stays white', () => {
    for (const tone of [{ op: 'greyscale' }, { op: 'saturation', amount: 2 }] as ToneStep[])
      for (const [r, g, b] of toneMatrix(tone)) expect(r + g + b).toBeCloseTo(1, 6);
  });

  test('of a flip, a turn, a border, rounded corners and a background lie where they belong', async () => {
    const quarters = await keptAs(
      'quarters.png',
      await sharp({ create: { width: 40, height: 20, channels: 3, background: '#0000ff' } })
        .composite([
          {
            input: { create: { width: 20, height: 10, channels: 3, background: '#ff0000' } },
            left: 0,
            top: 0,
          },
        ])
        .png()
        .toBuffer(),
    );
    const look = async (...steps: PictureStep[]) =>
      pixelsOf((await renderOne(quarters, recipe(steps), { mime: 'image/png' })).data);
    const [red, blue] = [
      [255, 0, 0, 255],
      [0, 0, 255, 255],
    ];
    expect((await look({ op: 'flip', axis: 'horizontal' })).at(38, 1)).toEqual(red);
    expect((await look({ op: 'flip', axis: 'vertical' })).at(1, 18)).toEqual(red);
    expect((await look({ op: 'rotate', degrees: 90 })).at(18, 1)).toEqual(red);
    const bordered = await look({ op: 'border', width: 3, colour: '#00ff00' });
    expect([bordered.at(1, 1), bordered.at(4, 4)]).toEqual([[0, 255, 0, 255], red]);
    const rounded = await look({ op: 'corners', radius: 8 });
    expect([rounded.at(0, 0)[3], rounded.at(20, 10)]).toEqual([0, blue]);
    const backed = await look({ op: 'corners', radius: 8 }, { op: 'background', colour: '#ffffff' });
    expect(backed.at(0, 0)).toEqual([255, 255, 255, 255]);
  });

  test('of a pixelated picture are the means of their blocks', async () => {
    const stripes = await keptAs(
      'stripes.png',
      await sharp(Buffer.from([0, 0, 0, 255, 255, 255, 10, 10, 10, 30, 30, 30]), {
        raw: { width: 4, height: 1, channels: 3 },
      })
        .png()
        .toBuffer(),
    );
    const { at } = await pixelsOf(
      (await renderOne(stripes, recipe([{ op: 'pixelate', size: 2 }]), { mime: 'image/png' })).data,
    );
    expect([at(0, 0)[0], at(1, 0)[0], at(2, 0)[0], at(3, 0)[0]]).toEqual([128, 128, 20, 20]);
  });

  test('a watermark lies in its corner, with its margin and size', async () => {
    const mark = await keptAs(
      'mark.png',
      await sharp({ create: { width: 50, height: 50, channels: 3, background: '#00ff00' } })
        .png()
        .toBuffer(),
    );
    const black = await keptAs(
      'black.png',
      await sharp({ create: { width: 200, height: 100, channels: 3, background: '#000000' } })
        .png()
        .toBuffer(),
    );
    const steps: PictureStep[] = [
      { op: 'watermark', picture: '/marks/a.png', size: 10, margin: 5, opacity: 1, place: 'bottom-right' },
    ];
    const { at } = await pixelsOf(
      (
        await renderOne(black, recipe(steps), {
          mime: 'image/png',
          marks: { '/marks/a.png': { path: mark } },
        })
      ).data,
    );
    expect([at(194, 94)[1], at(175, 75)[1], at(174, 74)[1], at(196, 96)[1]]).toEqual([255, 255, 0, 0]);
  });

  test('the most interesting part is where something is', async () => {
    const spot = await keptAs(
      'spot.png',
      await sharp({ create: { width: 600, height: 200, channels: 3, background: '#888888' } })
        .composite([
          {
            input: Buffer.from(
              '<svg width="60" height="60"><circle cx="30" cy="30" r="28" fill="#e02020"/></svg>',
            ),
            left: 500,
            top: 70,
          },
        ])
        .png()
        .toBuffer(),
    );
    const steps: PictureStep[] = [{ op: 'crop', width: 150, height: 150, around: 'interesting' }];
    const { pixels } = await pixelsOf((await renderOne(spot, recipe(steps), { mime: 'image/png' })).data);
    const reds = pixels.filter((value, index) => index % 4 === 0 && value > 200).length;
    expect(reds).toBeGreaterThan(2000);
  });
});

// Source: CIPA DC-008 (Exif), the tag Orientation: where the 0th row and the 0th column of the stored picture are.
test.each([1, 2, 3, 4, 5, 6, 7, 8])(
  'a picture stored with orientation %i comes out upright',
  async (orientation) => {
    const upright = sharp({ create: { width: 300, height: 200, channels: 3, background: '#00f' } }).composite(
      [{ input: { create: { width: 150, height: 100, channels: 3, background: '#f00' } }, left: 0, top: 0 }],
    );
    const base = sharp(await upright.png().toBuffer());
    const turn = async (degrees: number) => sharp(await base.clone().rotate(degrees).png().toBuffer());
    const stored: Record<number, () => Promise<typeof base>> = {
      1: async () => base,
      2: async () => base.flop(),
      3: () => turn(180),
      4: async () => base.flip(),
      5: async () => (await turn(90)).flop(),
      6: () => turn(270),
      7: async () => (await turn(270)).flop(),
      8: () => turn(90),
    };
    const turned = await keptAs(
      `turned-${orientation}.jpg`,
      await sharp(await ((await stored[orientation]?.()) ?? base).png().toBuffer())
        .withMetadata({ orientation })
        .jpeg({ quality: 95 })
        .toBuffer(),
    );
    const { made } = await render(turned, [named('a', 150, 150, 'inside'), named('b', 60, 60, 'inside')]);
    for (const { data } of made) {
      const { at, width, height } = await pixelsOf(data);
      expect(width).toBeGreaterThan(height);
      const colour = (x: number, y: number) => at(x, y).map((value) => Math.round(value / 64));
      expect([colour(4, 4), colour(width - 4, height - 4)]).toEqual([
        [4, 0, 0, 4],
        [0, 0, 4, 4],
      ]);
    }
  },
);

test('metadata travels as the recipe says: nothing, artist and copyright, or all; also through a chain of steps', async () => {
  const described = await keptAs(
    'rights.jpg',
    await sharp(await photo(800, 600))
      .withExif({ IFD0: { Artist: 'Tam Hollin', Copyright: 'The Trust', ImageDescription: 'secret' } })
      .jpeg()
      .toBuffer(),
  );
  const exifOf = async (metadata: Recipe['output']['metadata'], steps: PictureStep[]) => {
    const one = recipe(
      [{ op: 'fit', mode: 'inside', width: 300 }, ...steps],
      {},
      { format: 'jpeg', metadata },
    );
    return (await sharp((await renderOne(described, one)).data).metadata()).exif?.toString('latin1') ?? '';
  };
  for (const steps of [[], [{ op: 'sepia' }]] as PictureStep[][]) {
    expect(await exifOf('none', steps)).toBe('');
    const rights = await exifOf('rights', steps);
    expect(rights).toContain('The Trust');
    expect(rights).not.toContain('secret');
    expect(await exifOf('all', steps)).toContain('secret');
  }
});

describe('targets', () => {
  test('a limit of bytes is kept, with the highest quality that keeps it', async () => {
    const one = recipe(
      [{ op: 'fit', mode: 'inside', width: 800 }],
      {},
      { format: 'jpeg', quality: 90, maxBytes: 60_000 },
    );
    const { data, quality } = await renderOne(file, one);
    expect(data.length).toBeLessThanOrEqual(60_000);
    const next = recipe(one.steps, {}, { format: 'jpeg', quality: (quality ?? 0) + 1 });
    expect((await renderOne(file, next)).data.length).toBeGreaterThan(60_000);
  });

  test("a limit that can't be kept says what the least is", async () => {
    const one = recipe([{ op: 'fit', mode: 'inside', width: 800 }], {}, { format: 'jpeg', maxBytes: 500 });
    await expect(renderOne(file, one)).rejects.toThrow(
      /can't be made smaller than \d+ bytes, and the limit is 500/,
    );
  });

  test('a likeness is kept, measured by a published library, with fewer bytes than without', async () => {
    const steps: Recipe['steps'] = [{ op: 'fit', mode: 'inside', width: 640 }];
    const likened = await renderOne(file, recipe(steps, {}, { format: 'webp', quality: 95, likeness: 0.97 }));
    const lossless = await renderOne(file, recipe(steps));
    const plain = await renderOne(file, recipe(steps, {}, { format: 'webp', quality: 95 }));
    expect(likened.likeness ?? 0).toBeGreaterThanOrEqual(0.97);
    expect(await similarity(lossless.data, likened.data)).toBeGreaterThan(0.93);
    expect(likened.data.length).toBeLessThan(plain.data.length);
  });
});

describe('a ladder', () => {
  // Common practice, no source.
  test('of 1000, 750 and 500 leaves a picture 700 wide with the 500 only', async () => {
    const narrow = await testPicture(700, 467);
    const { made } = await render(narrow, [
      recipe([], { ladder: { widths: [1000, 750, 500] } }, { format: 'jpeg' }),
    ]);
    expect(made.map(({ variant, width }) => [variant, width])).toEqual([[null, 500]]);
  });

  test('has its further widths and formats beside the main file', async () => {
    const one = recipe(
      [{ op: 'fit', mode: 'inside', width: 1200 }],
      { ladder: { widths: [1200, 600] } },
      { format: 'jpeg', quality: 70, also: ['webp'] },
    );
    const { made } = await render(file, [one]);
    expect(made.map(({ variant, mime, width }) => [variant, mime, width])).toEqual([
      [null, 'image/jpeg', 1200],
      ['600w.jpg', 'image/jpeg', 600],
      ['1200w.webp', 'image/webp', 1200],
      ['600w.webp', 'image/webp', 600],
    ]);
  });

  test('that is computed has steps of about the same number of bytes', async () => {
    const one = recipe(
      [{ op: 'fit', mode: 'inside', width: 1600 }],
      { ladder: { from: 320, stepBytes: 60_000, most: 6 } },
      { format: 'jpeg', quality: 75 },
    );
    const { made } = await render(file, [one]);
    const bytes = made.map(({ data }) => data.length);
    const steps = bytes.slice(0, -1).map((size, index) => size - (bytes[index + 1] ?? 0));
    const mean = steps.reduce((sum, step) => sum + step, 0) / steps.length;
    expect(made.length).toBeGreaterThanOrEqual(3);
    for (const step of steps) expect(Math.abs(step - mean) / mean).toBeLessThan(0.25);
  });
});
