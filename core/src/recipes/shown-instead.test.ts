import { parseSrcset } from 'srcset';
import { describe, expect, test } from 'vitest';
import type { AssetRendition } from '../library/asset.js';
import { estimateRebuild } from './estimate.js';
import { nearestRendition } from './nearest-rendition.js';
import { pictureSnippet } from './snippet.js';
import { drawWave, PeakGatherer } from './wave-form.js';

const file = (width: number, height: number, mime = 'image/jpeg') => ({ width, height, mime });

describe('what is shown in the place of a removed rendition', () => {
  test('is the next larger one of its shape', () => {
    const nearest = nearestRendition(file(400, 300), [
      file(200, 150),
      file(500, 375),
      file(1600, 1200),
      file(400, 400),
    ]);
    expect(nearest).toEqual(file(500, 375));
  });

  test('is a smaller one of its shape rather than a square', () => {
    expect(nearestRendition(file(400, 300), [file(300, 225), file(400, 400)])).toEqual(file(300, 225));
  });

  test('is of its type when both are as near; nothing when there is nothing', () => {
    expect(nearestRendition(file(4, 3), [file(8, 6, 'image/webp'), file(8, 6)])?.mime).toBe('image/jpeg');
    expect(nearestRendition(file(4, 3), [])).toBeNull();
  });
});

describe('a snippet', () => {
  const rendition = (width: number, mime: string, variant: string | null): AssetRendition => ({
    recipe: 'wide',
    variant,
    state: 'fresh',
    url: `http://u.example/media/a%2Cb~wide${variant ? `.${variant}` : '.jpg'}`,
    versionedUrl: null,
    mime,
    width,
    height: width / 2,
    bytes: 1,
    error: null,
  });
  const asset = {
    alt: 'The "light" & the sea',
    renditions: [
      rendition(1600, 'image/jpeg', null),
      rendition(800, 'image/jpeg', '800w.jpg'),
      rendition(1600, 'image/webp', '1600w.webp'),
      rendition(800, 'image/webp', '800w.webp'),
      rendition(1600, 'image/avif', '1600w.avif'),
    ],
  };

  // Source: WHATWG HTML §4.8.4.2.1; the package srcset as the independent parser.
  test('has candidates that an independent parser reads', () => {
    const snippet = pictureSnippet(asset, 'wide', '(min-width: 60em) 50vw, 100vw');
    expect(parseSrcset(snippet?.srcset ?? '')).toEqual([
      { url: 'http://u.example/media/a%2Cb~wide.800w.jpg', width: 800 },
      { url: 'http://u.example/media/a%2Cb~wide.jpg', width: 1600 },
    ]);
  });

  test('offers the best format first, ends with one that every browser reads, and escapes texts', () => {
    const { html = '' } = pictureSnippet(asset, 'wide') ?? {};
    expect([...html.matchAll(/type="([^"]+)"/g)].map(([, type]) => type)).toEqual([
      'image/avif',
      'image/webp',
    ]);
    expect(html).toMatch(
      /<img src="[^"]+~wide.jpg" srcset="[^"]+" sizes="100vw" width="1600" height="800" alt="The &quot;light&quot; &amp; the sea" loading="lazy" decoding="async">\n<\/picture>$/,
    );
  });

  test('of one file is an img; of none there is none', () => {
    expect(pictureSnippet({ ...asset, renditions: asset.renditions.slice(0, 1) }, 'wide')?.html).toMatch(
      /^<img src="[^"]+" width/,
    );
    expect(pictureSnippet(asset, 'tile')).toBeNull();
  });
});

test('an estimate follows what was measured, and says nothing without', () => {
  const sample = { pixels: 100, bytes: 1000, workMs: 40, pixelsAfter: 200 };
  expect(estimateRebuild([sample], 10, 2)).toEqual({ seconds: 0.3, bytesAfter: 20_000 });
  expect(estimateRebuild([{ ...sample, workMs: null }], 10, 2)).toEqual({
    seconds: null,
    bytesAfter: 20_000,
  });
  expect(estimateRebuild([], 10, 2)).toEqual({ seconds: null, bytesAfter: null });
  expect(estimateRebuild([], 0, 2)).toEqual({ seconds: 0, bytesAfter: 0 });
});

test('a wave form is gathered in pieces and drawn to its height', () => {
  const gatherer = new PeakGatherer(4, 8);
  gatherer.add([0.5, -0.25, 0]);
  gatherer.add([0, 0, 0, 0.1, -1]);
  expect(gatherer.peaks).toEqual([
    { low: -0.25, high: 0.5 },
    { low: 0, high: 0 },
    { low: 0, high: 0 },
    { low: -1, high: 0.1 },
  ]);
  const drawing = drawWave(gatherer.peaks, { width: 40, height: 20 }, '#8a3a2580', 'transparent');
  expect(drawing).toContain('fill="#8a3a25" fill-opacity="0.5"');
  expect(drawing).toContain('M5 5.5');
});
