import { writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { planRenditions, type Recipe } from '@uniferum/core';
import sharp from 'sharp';
import { ssim } from 'ssim.js';
import { beforeAll, describe, expect, test } from 'vitest';
import { photo } from '../testing/harness.js';
import { renderPlan } from './render.js';

const recipe = (
  name: string,
  width: number,
  height: number,
  mode: 'inside' | 'cover',
  output: Partial<Recipe['output']> = {},
): Recipe => ({
  name,
  title: name,
  kinds: ['image'],
  folders: [],
  when: 'background',
  steps: [{ op: 'fit', mode, width, height }],
  output: { format: 'png', quality: 90, metadata: 'none', ...output },
  revision: 1,
});

const options = { maxPixels: 1e8, rights: { artist: 'Tam Hollin', copyright: 'The Trust' } };
const LADDER = [
  recipe('wide', 1600, 1600, 'inside'),
  recipe('medium', 1000, 1000, 'inside'),
  recipe('small', 480, 480, 'inside'),
  recipe('tile', 240, 240, 'cover'),
];

/** A picture with what shows a bad resampling: fine stripes, hard edges, gradients and grain. */
async function testPicture(width: number, height: number): Promise<string> {
  const drawing = `<svg xmlns="http://www.w3.org/2000/svg" width="${width}" height="${height}"><defs><linearGradient id="g" x2="1" y2="1"><stop stop-color="#036"/><stop offset="1" stop-color="#fc9"/></linearGradient><pattern id="p" width="9" height="9" patternUnits="userSpaceOnUse" patternTransform="rotate(31)"><rect width="4" height="9" fill="#000"/></pattern></defs><rect width="100%" height="100%" fill="url(#g)"/><rect x="10%" y="10%" width="30%" height="40%" fill="url(#p)" opacity=".5"/><circle cx="65%" cy="45%" r="20%" fill="#a63"/><g fill="#fff" font-size="${height / 14}"><text x="8%" y="85%">Gannet Head, Little Farrow, Whin Ness</text></g></svg>`;
  const grain = await photo(width, height, 5);
  const file = join(tmpdir(), `uniferum-render-${process.pid}-${width}x${height}.jpg`);
  await writeFile(
    file,
    await sharp(Buffer.from(drawing))
      .composite([{ input: grain, blend: 'soft-light' }])
      .flatten()
      .jpeg({ quality: 92 })
      .toBuffer(),
  );
  return file;
}

async function similarity(a: Buffer, b: Buffer): Promise<number> {
  const read = async (data: Buffer) => {
    const { data: pixels, info } = await sharp(data)
      .ensureAlpha()
      .raw()
      .toBuffer({ resolveWithObject: true });
    return { data: new Uint8ClampedArray(pixels), width: info.width, height: info.height };
  };
  return ssim(await read(a), await read(b)).mssim;
}

describe('renditions derived from one decoded base', () => {
  let file: string;
  beforeAll(async () => {
    file = await testPicture(2600, 1800);
  });

  test('are as good as those made directly: structural similarity of at least 0.98', async () => {
    const { rendered } = await renderPlan(
      file,
      planRenditions({ width: 2600, height: 1800, mime: 'image/jpeg' }, LADDER),
      options,
    );
    for (const { planned, data } of rendered) {
      const direct = await renderPlan(
        file,
        planRenditions({ width: 2600, height: 1800, mime: 'image/jpeg' }, [planned.recipe]),
        options,
      );
      expect(direct.rendered[0]?.planned.from).toBe('source');
      expect(
        await similarity(data, direct.rendered[0]?.data ?? Buffer.alloc(0)),
        planned.recipe.name,
      ).toBeGreaterThanOrEqual(0.98);
    }
  });

  test('at the smallest reduction that is allowed as well', async () => {
    const pair = [recipe('a', 1200, 1200, 'inside'), recipe('b', 1000, 1000, 'inside')];
    const { rendered } = await renderPlan(
      file,
      planRenditions({ width: 2600, height: 1800, mime: 'image/jpeg' }, pair),
      options,
    );
    const derived = rendered.find(({ planned }) => planned.recipe.name === 'b');
    expect(derived?.planned.from).toBe('base');
    const direct = await renderPlan(
      file,
      planRenditions({ width: 2600, height: 1800, mime: 'image/jpeg' }, [pair[1] as Recipe]),
      options,
    );
    expect(
      await similarity(derived?.data ?? Buffer.alloc(0), direct.rendered[0]?.data ?? Buffer.alloc(0)),
    ).toBeGreaterThanOrEqual(0.98);
  });

  test('have exactly the planned size', async () => {
    const { rendered } = await renderPlan(
      file,
      planRenditions({ width: 2600, height: 1800, mime: 'image/jpeg' }, LADDER),
      options,
    );
    for (const { planned, data } of rendered) {
      const { width, height } = await sharp(data).metadata();
      expect({ width, height }).toEqual(planned.size);
    }
  });
});

test.each([1, 3, 6, 8])('a picture stored with orientation %i comes out upright', async (orientation) => {
  const upright = await sharp({ create: { width: 300, height: 200, channels: 3, background: '#00f' } })
    .composite([
      { input: { create: { width: 150, height: 100, channels: 3, background: '#f00' } }, left: 0, top: 0 },
    ])
    .png()
    .toBuffer();
  const turns: Record<number, number> = { 1: 0, 3: 180, 6: 270, 8: 90 };
  const file = join(tmpdir(), `uniferum-turned-${process.pid}-${orientation}.jpg`);
  await writeFile(
    file,
    await sharp(upright)
      .rotate(turns[orientation])
      .withMetadata({ orientation })
      .jpeg({ quality: 95 })
      .toBuffer(),
  );
  const plan = planRenditions({ width: 300, height: 200, mime: 'image/jpeg' }, [
    recipe('a', 150, 150, 'inside'),
    recipe('b', 60, 60, 'inside'),
  ]);
  for (const { data } of (await renderPlan(file, plan, options)).rendered) {
    const { data: pixels, info } = await sharp(data).raw().toBuffer({ resolveWithObject: true });
    expect(info.width).toBeGreaterThan(info.height);
    const at = (x: number, y: number) =>
      [
        ...pixels.subarray((y * info.width + x) * info.channels, (y * info.width + x) * info.channels + 3),
      ].map((value) => Math.round((value ?? 0) / 64));
    expect([at(4, 4), at(info.width - 4, info.height - 4)]).toEqual([
      [4, 0, 0],
      [0, 0, 4],
    ]);
  }
});

test('metadata travels as the recipe says: nothing, artist and copyright, or all', async () => {
  const file = join(tmpdir(), `uniferum-rights-${process.pid}.jpg`);
  await writeFile(
    file,
    await sharp(await photo(800, 600))
      .withExif({ IFD0: { Artist: 'Tam Hollin', ImageDescription: 'secret' } })
      .jpeg()
      .toBuffer(),
  );
  const jpeg = { format: 'jpeg' } as const;
  const recipes = [
    recipe('none', 400, 400, 'inside', jpeg),
    recipe('rights', 300, 300, 'inside', { ...jpeg, metadata: 'rights' }),
    recipe('all', 200, 200, 'inside', { ...jpeg, metadata: 'all' }),
  ];
  const { rendered } = await renderPlan(
    file,
    planRenditions({ width: 800, height: 600, mime: 'image/jpeg' }, recipes),
    options,
  );
  const exif = Object.fromEntries(
    await Promise.all(
      rendered.map(async ({ planned, data }) => [
        planned.recipe.name,
        (await sharp(data).metadata()).exif?.toString('latin1') ?? '',
      ]),
    ),
  );
  expect(exif.none).toBe('');
  expect(exif.rights).toContain('The Trust');
  expect(exif.rights).not.toContain('secret');
  expect(exif.all).toContain('secret');
});

test('a transparent picture stands on white as JPEG', async () => {
  const file = join(tmpdir(), `uniferum-transparent-${process.pid}.png`);
  await writeFile(
    file,
    await sharp({
      create: { width: 50, height: 50, channels: 4, background: { r: 0, g: 0, b: 0, alpha: 0 } },
    })
      .png()
      .toBuffer(),
  );
  const recipes = [
    recipe('a', 40, 40, 'inside', { format: 'jpeg' }),
    recipe('b', 20, 20, 'inside', { format: 'jpeg' }),
  ];
  for (const { data } of (
    await renderPlan(file, planRenditions({ width: 50, height: 50, mime: 'image/png' }, recipes), options)
  ).rendered) {
    expect([...(await sharp(data).raw().toBuffer()).subarray(0, 3)]).toEqual([255, 255, 255]);
  }
});

test('more pixels than allowed are not decoded', async () => {
  const file = await testPicture(400, 300);
  const plan = planRenditions({ width: 400, height: 300, mime: 'image/jpeg' }, LADDER);
  await expect(renderPlan(file, plan, { ...options, maxPixels: 1000 })).rejects.toThrow(/pixel limit/);
});
