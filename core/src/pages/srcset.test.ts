import { expect, test } from 'vitest';
import { imageSources, sheetRendition } from './srcset.js';

const rendition = (
  recipe: string,
  width: number,
  height: number,
  url: string | null = `http://u.example/${recipe}.jpg`,
) => ({
  recipe,
  variant: null,
  state: 'fresh' as const,
  ...{ url, versionedUrl: null },
  mime: 'image/jpeg',
  width,
  height,
  bytes: 1,
  error: null,
});

const asset = {
  url: 'http://u.example/original.jpg',
  width: 3000,
  height: 2000,
  renditions: [
    rendition('wide', 1600, 1067),
    rendition('tile', 240, 240),
    rendition('column', 720, 480),
    rendition('due', 100, 67, null),
  ],
};

test('lists whole pictures with their widths, smallest first, and names the widest as src', () => {
  expect(imageSources(asset)).toEqual({
    src: 'http://u.example/wide.jpg',
    srcset: 'http://u.example/column.jpg 720w, http://u.example/wide.jpg 1600w',
    width: 1600,
    height: 1067,
  });
});

test('without a rendition the original serves', () => {
  expect(imageSources({ ...asset, renditions: [] })).toEqual({
    src: asset.url,
    srcset: '',
    width: 3000,
    height: 2000,
  });
});

test('the sheet takes the smallest that is high enough, and never a crop', () => {
  expect(sheetRendition(asset, 170)).toBe('http://u.example/column.jpg');
  expect(sheetRendition(asset, 900)).toBe('http://u.example/wide.jpg');
  expect(sheetRendition(asset, 9000)).toBe('http://u.example/wide.jpg');
  expect(sheetRendition({ ...asset, renditions: [] }, 100)).toBeNull();
});
