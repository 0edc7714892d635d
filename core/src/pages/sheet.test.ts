import { describe, expect, test } from 'vitest';
import type { AssetRendition } from '../library/asset.js';
import { imageSources, sheetRendition } from './srcset.js';

const rendition = (
  width: number | null,
  height: number | null,
  more: Partial<AssetRendition> = {},
): AssetRendition => ({
  recipe: 'wide',
  variant: null,
  state: 'fresh',
  url: `/a~${width}.webp`,
  versionedUrl: null,
  mime: 'image/webp',
  width,
  height,
  bytes: 1,
  error: null,
  ...more,
});
const asset = (
  renditions: AssetRendition[],
  size: { width: number | null; height: number | null } = { width: 900, height: 600 },
) => ({
  url: '/a.jpg',
  ...size,
  renditions,
});

describe('the sources of an image', () => {
  test('are the renditions of the whole picture, smallest first, and the widest stands for all', () => {
    expect(imageSources(asset([rendition(600, 400), rendition(300, 200)]))).toEqual({
      src: '/a~600.webp',
      srcset: '/a~300.webp 300w, /a~600.webp 600w',
      width: 600,
      height: 400,
    });
  });

  test('one candidate needs no choice, and none is the original', () => {
    expect(imageSources(asset([rendition(300, 200)]))).toEqual({
      src: '/a~300.webp',
      srcset: '',
      width: 300,
      height: 200,
    });
    expect(imageSources(asset([]))).toEqual({ src: '/a.jpg', srcset: '', width: 900, height: 600 });
  });

  test.each([
    ['a crop', rendition(300, 300)],
    ['two pixels off', rendition(300, 202)],
    ['a variant', rendition(300, 200, { variant: '300w.webp' })],
    ['one that is not made', rendition(300, 200, { url: null })],
    ['one without a width', rendition(null, 200)],
    ['one without a height', rendition(300, null)],
  ])('%s is left out', (_what, odd) => {
    expect(imageSources(asset([odd])).src).toBe('/a.jpg');
  });

  test('a pixel of rounding is no crop', () => {
    expect(imageSources(asset([rendition(300, 201)])).src).toBe('/a~300.webp');
    expect(imageSources(asset([rendition(300, 199)])).src).toBe('/a~300.webp');
  });

  test('an asset whose size is not known has its original', () => {
    for (const size of [
      { width: null, height: 600 },
      { width: 900, height: null },
    ])
      expect(imageSources(asset([rendition(300, 200)], size)).src).toBe('/a.jpg');
  });

  test('a comma in an address is encoded, because it parts candidates', () => {
    const { srcset } = imageSources(asset([rendition(300, 200, { url: '/a,b' }), rendition(600, 400)]));
    expect(srcset).toBe('/a%2Cb 300w, /a~600.webp 600w');
  });
});

describe('the rendition for a sheet', () => {
  const sheet = (height: number, ...renditions: AssetRendition[]) =>
    sheetRendition(asset(renditions), height);

  test('is the smallest that is high enough, or else the largest', () => {
    const all = [rendition(600, 400), rendition(150, 100), rendition(300, 200)];
    expect([100, 101, 200, 500].map((height) => sheet(height, ...all))).toEqual([
      '/a~150.webp',
      '/a~300.webp',
      '/a~300.webp',
      '/a~600.webp',
    ]);
  });

  test('shows the whole picture, and there may be none', () => {
    expect(sheet(100, rendition(300, 300))).toBeNull();
    expect(sheet(100, rendition(300, 200, { url: null }))).toBeNull();
    expect(sheet(100)).toBeNull();
  });

  test('of a paper or a film is any picture of it', () => {
    for (const size of [
      { width: null, height: null },
      { width: 900, height: null },
      { width: null, height: 600 },
    ])
      expect(sheetRendition(asset([rendition(300, 300), rendition(null, null)], size), 100)).toBe(
        '/a~300.webp',
      );
  });
});
