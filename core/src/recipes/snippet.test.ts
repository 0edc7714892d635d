import { parseSrcset } from 'srcset';
import { describe, expect, test } from 'vitest';
import type { AssetRendition } from '../library/asset.js';
import { pictureSnippet } from './snippet.js';

const rendition = (width: number, more: Partial<AssetRendition> = {}): AssetRendition => ({
  ...{ recipe: 'wide', variant: `${width}w.jpg`, state: 'fresh', url: `/m/a~wide-${width}.jpg` },
  ...{ versionedUrl: null, mime: 'image/jpeg', width, height: width / 2, bytes: width, error: null },
  ...more,
});
const main = (width: number, more: Partial<AssetRendition> = {}) =>
  rendition(width, { variant: null, ...more });
const snippet = (renditions: AssetRendition[], alt: string | null = null) =>
  pictureSnippet({ alt, renditions }, 'wide');

describe('a snippet', () => {
  test('of one size is an image, which needs no choice', () => {
    const { html, srcset, src } = snippet([main(800)]) ?? {};
    expect(html).toBe(
      '<img src="/m/a~wide-800.jpg" width="800" height="400" alt="" loading="lazy" decoding="async">',
    );
    expect([srcset, src]).toEqual(['', '/m/a~wide-800.jpg']);
  });

  test('lists widths from the smallest', () => {
    const { srcset = '', sizes } = snippet([main(800), rendition(200), rendition(400)]) ?? {};
    expect(parseSrcset(srcset).map(({ width }) => width)).toEqual([200, 400, 800]);
    expect(sizes).toBe('100vw');
  });

  test('has a source for each further type, the smallest files first, and none of its own', () => {
    const { html = '' } =
      snippet([
        main(800),
        rendition(800, { mime: 'image/webp', url: '/m/a.webp' }),
        rendition(800, { mime: 'image/avif', url: '/m/a.avif' }),
        rendition(800, { mime: 'image/gif', url: '/m/a.gif' }),
      ]) ?? {};
    expect(
      [...html.matchAll(/<source type="([^"]+)" srcset="([^"]+)"/g)].map(([, ...found]) => found),
    ).toEqual([
      ['image/avif', '/m/a.avif 800w'],
      ['image/webp', '/m/a.webp 800w'],
    ]);
    expect(html).toMatch(/^<picture>\n.*<img [^>]*>\n<\/picture>$/s);
    expect(
      snippet([main(800, { mime: 'image/webp' }), rendition(400, { mime: 'image/webp' })])?.html,
    ).not.toContain('<source');
  });

  test.each<[string, Partial<AssetRendition>]>([
    ['of another recipe', { recipe: 'tile' }],
    ['that is surplus', { state: 'surplus' }],
    ['without an address', { url: null }],
    ['without a type', { mime: null }],
    ['without a width', { width: null }],
    ['without a height', { height: null }],
  ])('leaves out one %s', (_what, more) => {
    expect(snippet([main(800), rendition(400), rendition(200, more)])?.srcset).toBe(
      '/m/a~wide-400.jpg 400w, /m/a~wide-800.jpg 800w',
    );
    expect(snippet([main(800, more)])).toBeNull();
  });

  test('needs the main file', () => {
    expect(snippet([rendition(400)])).toBeNull();
  });

  test('escapes what it is given', () => {
    const { html = '', srcset = '' } =
      snippet([main(800, { url: '/m/a,b&c.jpg' }), rendition(400)], 'Say "<b>" & go') ?? {};
    expect(html).toContain('alt="Say &quot;&lt;b>&quot; &amp; go"');
    expect(html).toContain('src="/m/a,b&amp;c.jpg"');
    expect(srcset).toContain('/m/a%2Cb&c.jpg 800w');
  });
});
