import { writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { Recipe, Step } from '@uniferum/core/recipes';
import sharp from 'sharp';
import { describe, expect, test } from 'vitest';
import { brokenPng, photo } from '../../testing/harness.js';
import { plainRecipe } from '../../testing/plain-recipe.js';
import { renderJob } from './render.js';

const recipe = (steps: Step[], output: Partial<Recipe['output']> = {}): Recipe =>
  plainRecipe(steps, { format: 'jpeg', ...output });
const FIT: Step = { op: 'fit', mode: 'inside', width: 100 };

async function renderBytes(
  name: string,
  data: Buffer,
  recipes: Recipe[],
  { mime = 'image/jpeg', maxPixels = 50_000_000 } = {},
) {
  const path = join(tmpdir(), `uniferum-bad-${process.pid}-${name}`);
  await writeFile(path, data);
  return renderJob({
    file: { path, mime, kind: 'image', sha256: name },
    recipes,
    focal: null,
    marks: {},
    look: true,
    maxPixels,
  });
}

const colourOf = async (data: Uint8Array) => [
  ...(await sharp(data).removeAlpha().raw().toBuffer()).subarray(0, 3),
];

describe("a file that can't be decoded is refused with a reason, and takes nothing else with it", () => {
  test.each([
    ['nothing', Buffer.alloc(0)],
    ['noise', Buffer.from('this is no picture at all')],
  ])('%s', async (name, data) => {
    const { made, failed } = await renderBytes(name, data, [recipe([FIT])]);
    expect(made).toEqual([]);
    expect(failed).toMatchObject([{ recipe: 'one', code: 'unreadable' }]);
    expect(failed[0]?.reason).toMatch(/known type|empty/i);
  });

  test('but a JPEG that is only cut off is shown as far as it goes', async () => {
    const whole = await photo(1200, 800);
    const { made, failed } = await renderBytes('cut.jpg', whole.subarray(0, whole.length / 2), [
      recipe([FIT]),
    ]);
    expect([made.length, failed]).toEqual([1, []]);
  });

  test('a PNG with a broken checksum in its data', async () => {
    const { failed } = await renderBytes('broken.png', await brokenPng(300, 200), [recipe([FIT])], {
      mime: 'image/png',
    });
    expect(failed[0]?.code).toBe('unreadable');
  });

  test('a picture that has more pixels than are decoded, and one that lies about it', async () => {
    const { failed } = await renderBytes('huge.jpg', await photo(1200, 800), [recipe([FIT])], {
      maxPixels: 1000,
    });
    expect(failed[0]?.reason).toMatch(/more pixels than are decoded/);
    const lying = await sharp(await photo(64, 64))
      .png()
      .toBuffer();
    // IHDR: width and height as 32-bit numbers from byte 16 on, followed by their checksum.
    lying.writeUInt32BE(60_000, 16);
    lying.writeUInt32BE(60_000, 20);
    expect(
      (await renderBytes('lying.png', lying, [recipe([FIT])], { mime: 'image/png' })).failed,
    ).toHaveLength(1);
  });

  test('a drawing that never ends', async () => {
    const { failed } = await renderBytes(
      'open.svg',
      Buffer.from('<svg xmlns="http://www.w3.org/2000/svg" width="10" height="10"><g>'),
      [recipe([FIT])],
      { mime: 'image/svg+xml' },
    );
    expect(failed[0]?.code).toBe('unreadable');
  });
});

describe('a file of a rare kind is made right', () => {
  test('whose header said another size than it has', async () => {
    const { made } = await renderBytes('other-size.jpg', await photo(640, 480), [recipe([FIT])]);
    expect([made[0]?.width, made[0]?.height]).toEqual([100, 75]);
  });

  test('CMYK comes out in sRGB', async () => {
    const cmyk = await sharp({ create: { width: 80, height: 60, channels: 3, background: '#c03020' } })
      .toColourspace('cmyk')
      .jpeg({ quality: 95 })
      .toBuffer();
    const { made } = await renderBytes('cmyk.jpg', cmyk, [
      recipe([FIT], { format: 'png' }),
      { ...recipe([{ op: 'sepia', amount: 0 }], { format: 'png' }), name: 'two' },
    ]);
    for (const { data } of made) {
      const [r = 0, g = 0, b = 0] = await colourOf(data);
      expect(Math.abs(r - 0xc0) + Math.abs(g - 0x30) + Math.abs(b - 0x20)).toBeLessThan(40);
    }
  });

  test('16 bits for each channel become 8, with and without steps', async () => {
    const deep = await sharp({ create: { width: 40, height: 30, channels: 3, background: '#336699' } })
      .toColourspace('rgb16')
      .png()
      .toBuffer();
    expect((await sharp(deep).metadata()).depth).toBe('ushort');
    const { made } = await renderBytes(
      'deep.png',
      deep,
      [
        recipe([FIT], { format: 'webp', quality: 100 }),
        { ...recipe([{ op: 'brightness', amount: 1 }], { format: 'png' }), name: 'two' },
      ],
      { mime: 'image/png' },
    );
    for (const { data } of made)
      for (const [index, value] of (await colourOf(data)).entries())
        expect(Math.abs(value - ([0x33, 0x66, 0x99][index] ?? 0))).toBeLessThan(4);
  });

  test('a palette, grey values, and grey values with transparency', async () => {
    const grey = sharp({ create: { width: 40, height: 30, channels: 3, background: '#777777' } });
    const files = {
      'palette.png': await grey.clone().png({ palette: true, colours: 4 }).toBuffer(),
      'grey.png': await grey.clone().greyscale().png().toBuffer(),
      'grey-alpha.png': await grey.clone().ensureAlpha(0.5).greyscale().png().toBuffer(),
    };
    for (const [name, data] of Object.entries(files)) {
      const { made, failed } = await renderBytes(
        name,
        data,
        [recipe([{ op: 'contrast', amount: 1 }], { format: 'png' })],
        { mime: 'image/png' },
      );
      expect(failed, name).toEqual([]);
      expect(
        Math.abs(((await colourOf(made[0]?.data ?? new Uint8Array()))[0] ?? 0) - 0x77),
        name,
      ).toBeLessThan(4);
    }
  });

  test('transparency stands on white as JPEG', async () => {
    const clear = await sharp({
      create: { width: 50, height: 50, channels: 4, background: { r: 0, g: 0, b: 0, alpha: 0 } },
    })
      .png()
      .toBuffer();
    const { made } = await renderBytes(
      'clear.png',
      clear,
      [recipe([FIT]), { ...recipe([{ op: 'sepia' }]), name: 'two' }],
      { mime: 'image/png' },
    );
    for (const { data } of made) expect(await colourOf(data)).toEqual([255, 255, 255]);
  });

  test('an animation stays one where the format holds it, with its timing, through every step', async () => {
    const frames = Buffer.concat(
      ['#ff0000', '#00ff00', '#0000ff'].map((colour) => {
        const value = Number.parseInt(colour.slice(1), 16);
        return Buffer.from(
          Array.from({ length: 40 * 30 }, () => [value >> 16, (value >> 8) & 255, value & 255]).flat(),
        );
      }),
    );
    const gif = await sharp(frames, { raw: { width: 40, height: 90, channels: 3, pageHeight: 30 } })
      .gif({ delay: [100, 200, 300], loop: 2 })
      .toBuffer();
    const steps: Step[] = [
      { op: 'fit', mode: 'cover', width: 20, height: 20 },
      { op: 'border', width: 1, colour: '#ffffff' },
    ];
    const { made, failed } = await renderBytes(
      'moving.gif',
      gif,
      [
        recipe(steps, { format: 'keep' }),
        { ...recipe(steps, { format: 'webp' }), name: 'two' },
        { ...recipe(steps, { format: 'webp', animation: 'first' }), name: 'three' },
        { ...recipe(steps), name: 'four' },
      ],
      { mime: 'image/gif' },
    );
    expect(failed).toEqual([]);
    const facts = await Promise.all(
      made.map(async ({ recipe: name, data }) => {
        const {
          format,
          pages = 1,
          pageHeight,
          height,
          delay,
          loop,
        } = await sharp(data, { animated: true }).metadata();
        return [name, format, pages, pageHeight ?? height, delay, loop];
      }),
    );
    expect(facts).toEqual([
      ['one', 'gif', 3, 22, [100, 200, 300], 2],
      ['two', 'webp', 3, 22, [100, 200, 300], 2],
      ['three', 'webp', 1, 22, undefined, undefined],
      ['four', 'jpeg', 1, 22, undefined, undefined],
    ]);
  });
});

describe('an animation of many frames', () => {
  /** Noise in few colours, which a new palette would make larger; a dot wanders over it. */
  async function noisy(count: number): Promise<Buffer> {
    const frame = Buffer.alloc(80 * 60 * 3);
    for (let n = 0; n < frame.length; n += 3) frame.fill(((n * 7919) % 13) * 19, n, n + 3);
    const frames = Array.from({ length: count }, (_, at) => {
      const own = Buffer.from(frame);
      own.set([255, 0, 0], (at * 11 * 3) % own.length);
      return own;
    });
    return sharp(Buffer.concat(frames), {
      raw: { width: 80, height: 60 * count, channels: 3, pageHeight: 60 },
    })
      .gif({ colours: 16, dither: 0, effort: 10, delay: frames.map((_, at) => 40 + at * 10) })
      .toBuffer();
  }

  test('comes whole, each frame with its time, and is no larger than it was', async () => {
    const gif = await noisy(30);
    const { made } = await renderBytes(
      'noisy.gif',
      gif,
      [recipe([], { format: 'keep' }), { ...recipe([FIT], { format: 'keep', also: ['avif'] }), name: 'two' }],
      { mime: 'image/gif' },
    );
    const [same, , avif] = made;
    expect(same?.data.length).toBeLessThanOrEqual(gif.length);
    const { pages, delay } = await sharp(same?.data, { animated: true }).metadata();
    expect([pages, delay]).toEqual([30, Array.from({ length: 30 }, (_, at) => 40 + at * 10)]);
    expect([avif?.mime, avif?.width, avif?.height]).toEqual(['image/avif', 80, 60]);
  });
});

describe("a chain that can't be carried out on a picture fails by itself, at its step", () => {
  test('while the others are made', async () => {
    const wrong = {
      ...recipe([FIT, { op: 'crop', left: 500, top: 0, width: 10, height: 10 }]),
      name: 'outside',
    };
    const endless = {
      ...recipe([
        { op: 'sepia' },
        ...Array.from(
          { length: 8 },
          (): Step => ({ op: 'fit', mode: 'inside', width: 16_384, height: 16_384, enlarge: true }),
        ),
        { op: 'border', width: 1000, colour: '#000000' },
      ]),
      name: 'absurd',
    };
    const { made, failed } = await renderBytes('fine.jpg', await photo(600, 400), [
      recipe([FIT]),
      wrong,
      endless,
    ]);
    expect(made.map(({ recipe: name }) => name)).toEqual(['one']);
    expect(failed.map(({ recipe: name, code }) => [name, code]).sort()).toEqual([
      ['absurd', 'too-many-pixels'],
      ['outside', 'crop-outside'],
    ]);
    expect(failed.find(({ recipe: name }) => name === 'outside')?.reason).toMatch(
      /^step 2 \(crop\): The crop starts outside/,
    );
  });

  test('with a watermark that was deleted', async () => {
    const marked = recipe([FIT, { op: 'watermark', picture: '/marks/gone.svg' }]);
    const { failed } = await renderBytes('marked.jpg', await photo(600, 400), [marked]);
    expect(failed[0]?.reason).toMatch(
      /^step 2 \(watermark\): the watermark \/marks\/gone.svg is not in the library/,
    );
  });
});
