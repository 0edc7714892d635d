import { once } from 'node:events';
import { writeFile } from 'node:fs/promises';
import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { Recipe, Step } from '@uniferum/core/recipes';
import sharp from 'sharp';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { plainRecipe } from '../../testing/plain-recipe.js';
import type { MarkFile } from './marks.js';
import { renderJob } from './render.js';

const recipe = (steps: Step[]): Recipe => plainRecipe(steps, { format: 'png' });

async function renderBytes(
  name: string,
  data: Buffer,
  one: Recipe,
  { mime = 'image/svg+xml', marks = {} as Record<string, MarkFile> } = {},
) {
  const path = join(tmpdir(), `uniferum-drawing-${process.pid}-${name}`);
  await writeFile(path, data);
  return renderJob({
    file: { path, mime, kind: 'image', sha256: name },
    ...{ recipes: [one], focal: null, marks, look: true, maxPixels: 50_000_000 },
  });
}

const colourOf = async (data: Uint8Array) => [
  ...(await sharp(data).removeAlpha().raw().toBuffer()).subarray(0, 3),
];

describe('a drawing refers to nothing outside itself', () => {
  let asked = 0;
  let outside: Server;
  beforeAll(async () => {
    outside = createServer((_request, response) => {
      asked += 1;
      response.end();
    }).listen(0, '127.0.0.1');
    await once(outside, 'listening');
  });
  afterAll(() => outside.close());

  /** White, unless what it refers to is drawn. */
  const drawing = (reference: string) =>
    Buffer.from(
      `<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" width="60" height="60"><rect width="60" height="60" fill="#fff"/>${reference}</svg>`,
    );

  test.each([
    ['a file beside it', (name: string) => `<image xlink:href="${name}" width="60" height="60"/>`],
    [
      'a file by its whole path',
      (name: string) => `<image href="file://${join(tmpdir(), name)}" width="60" height="60"/>`,
    ],
    [
      'an address',
      () =>
        `<image href="http://127.0.0.1:${(outside.address() as AddressInfo).port}/a.png" width="60" height="60"/>`,
    ],
    ['a drawing beside it', (name: string) => `<use href="${name}.svg#a"/>`],
    [
      'a text beside it',
      (name: string) =>
        `<xi:include xmlns:xi="http://www.w3.org/2001/XInclude" href="${name}.svg" parse="xml"/>`,
    ],
  ])('not to %s, as a picture and as a watermark', async (_what, refer) => {
    const name = `uniferum-neighbour-${process.pid}`;
    await writeFile(
      join(tmpdir(), name),
      await sharp({ create: { width: 60, height: 60, channels: 3, background: '#f00' } })
        .png()
        .toBuffer(),
    );
    await writeFile(
      join(tmpdir(), `${name}.svg`),
      '<svg xmlns="http://www.w3.org/2000/svg"><rect id="a" width="60" height="60" fill="#f00"/></svg>',
    );
    const data = drawing(refer(name));
    const { made } = await renderBytes('refers.svg', data, recipe([]));
    expect(await colourOf(made[0]?.data ?? new Uint8Array())).toEqual([255, 255, 255]);
    const mark = join(tmpdir(), `${name}-mark.svg`);
    await writeFile(mark, data);
    const marked = recipe([{ op: 'watermark', picture: '/marks/a.svg', size: 100, margin: 0, opacity: 1 }]);
    const white = await sharp({ create: { width: 60, height: 60, channels: 3, background: '#fff' } })
      .png()
      .toBuffer();
    const over = await renderBytes('under.png', white, marked, {
      mime: 'image/png',
      marks: { '/marks/a.svg': { path: mark } },
    });
    expect(over.failed).toEqual([]);
    expect(await colourOf(over.made[0]?.data ?? new Uint8Array())).toEqual([255, 255, 255]);
    expect(asked).toBe(0);
  });
});

test('a drawing is drawn up to 50 MB, and refused just beyond', async () => {
  const svg = (bytes: number) => {
    const [begin, end] = ['<svg xmlns="http://www.w3.org/2000/svg" width="6" height="6">', '</svg>'];
    return Buffer.from(begin + ' '.repeat(bytes - begin.length - end.length) + end);
  };
  const { made } = await renderBytes('limit', svg(50_000_000), recipe([]));
  expect(made).toHaveLength(1);
  const { failed } = await renderBytes('beyond', svg(50_000_001), recipe([]));
  expect(failed[0]?.reason).toContain('more than 50 MB');
});

test.each<[string, BufferEncoding | 'utf16be', string]>([
  ['UTF-8', 'utf8', ''],
  ['UTF-8, as it says', 'utf8', '<?xml version="1.0" encoding="UTF-8"?>'],
  ['UTF-16', 'utf16le', '\ufeff'],
  ['UTF-16, as it says', 'utf16le', '\ufeff<?xml version="1.0" encoding="UTF-16" standalone="no"?>'],
  ['UTF-16 of the other order', 'utf16be', "\ufeff<?xml version='1.0' encoding = 'utf-16'?>"],
])('a drawing in %s is drawn', async (_what, encoding, begin) => {
  const text = `${begin}<svg xmlns="http://www.w3.org/2000/svg" width="8" height="6"><title>Møwe</title><rect width="8" height="6" fill="#f00"/></svg>`;
  const data = encoding === 'utf16be' ? Buffer.from(text, 'utf16le').swap16() : Buffer.from(text, encoding);
  const { made, failed } = await renderBytes('encoded.svg', data, recipe([]));
  expect(failed).toEqual([]);
  expect(made[0]).toMatchObject({ width: 8, height: 6 });
  expect(await colourOf(made[0]?.data ?? new Uint8Array())).toEqual([255, 0, 0]);
});
