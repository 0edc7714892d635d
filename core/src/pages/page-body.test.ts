import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import {
  escapeText,
  findGalleries,
  findStableReferences,
  type MediaWriter,
  picturesWithoutAlt,
  readGallery,
  resolveBody,
} from './page-body.js';

const WRITER: MediaWriter = {
  media: ({ asset, recipe, alt }) => (asset === '9' ? null : `<img src="/${asset}/${recipe}" alt="${alt}">`),
  address: ({ asset, recipe }) => (asset === '9' ? null : `/${asset}/${recipe ?? ''}`),
  gallery: ({ assets, folder, filter }) => `<div>${assets?.join('+') ?? `${folder}?${filter}`}</div>`,
};

test('places that name assets are found, in their order, with recipe and offset', () => {
  const body =
    '<p>é<a data-asset="7">x</a></p><figure><img data-asset="8" data-recipe="wide"></figure><figure data-gallery="rows" data-assets="7 9  x"></figure>';
  expect(findStableReferences(body)).toEqual([
    { asset: '7', recipe: null, attribute: 'a data-asset', offset: 4 },
    { asset: '8', recipe: 'wide', attribute: 'img data-asset', offset: body.indexOf('<img') },
    ...['7', '9'].map((asset) => ({
      ...{ asset, recipe: null, attribute: 'gallery', offset: body.indexOf('<figure data-gallery') },
    })),
  ]);
});

test.each(['', '0', '-1', '1.5', 'x', '07', '1'.repeat(20), ' 7'])('“%s” names no asset', (id) => {
  expect(findStableReferences(`<img data-asset="${id}">`)).toEqual([]);
});

test('a gallery shows chosen assets, or what a folder and a filter contain', () => {
  expect(readGallery({ 'data-gallery': 'grid', 'data-assets': '' })).toMatchObject({ assets: [] });
  expect(readGallery({ 'data-gallery': 'circle' })).toBeNull();
  expect(readGallery({})).toBeNull();
  expect(
    findGalleries('<figure data-gallery="sequence" data-folder="/a" data-filter="dusk"></figure>'),
  ).toEqual([{ layout: 'sequence', recipe: null, assets: null, folder: '/a', filter: 'dusk' }]);
});

describe('resolving', () => {
  test.each([
    ['<p>a <strong>b</strong> &amp; c</p>', '<p>a <strong>b</strong> &amp; c</p>'],
    ['<img data-asset="7" data-recipe="wide" alt="x">', '<img src="/7/wide" alt="x">'],
    ['<img data-asset="7">', '<img src="/7/null" alt="null">'],
    ['<p><img data-asset="9" alt="a &lt;b&gt;"> after</p>', '<p>a &lt;b&gt; after</p>'],
    ['<p><img data-asset="9"> after</p>', '<p> after</p>'],
    ['<a data-asset="7" href="/old">x <em>y</em></a>', '<a href="/7/">x <em>y</em></a>'],
    ['<p>1 <a data-asset="9">x <em>y</em></a> 2</p>', '<p>1 x <em>y</em> 2</p>'],
    [
      '<figure data-align="left"><img data-asset="7" alt="x"></figure>',
      '<figure class="align-left"><img src="/7/null" alt="x"></figure>',
    ],
    ['<figure data-gallery="rows" data-assets="7 8">old</figure>', '<div>7+8</div>'],
    ['<a data-asset="7"><img data-asset="8" alt=""></a>', '<a href="/7/"><img src="/8/null" alt=""></a>'],
    ['<p>🗼 é</p>', '<p>🗼 é</p>'],
  ])('%s becomes %s', (body, html) => {
    expect(resolveBody(body, WRITER)).toBe(html);
  });

  test('what names no asset stays as it is, whatever text it holds', () => {
    const text = fc.string({ maxLength: 60 }).map(escapeText);
    fc.assert(
      fc.property(fc.array(text, { maxLength: 6 }), (parts) => {
        const once = resolveBody(parts.map((part) => `<p>${part}</p>`).join(''), WRITER);
        expect(resolveBody(once, WRITER)).toBe(once);
        expect(once.match(/<p>/g)?.length ?? 0).toBe(parts.length);
      }),
      { numRuns: 200 },
    );
  });
});

test('pictures without a text are found by their place', () => {
  const body =
    '<img alt="a"><img><img alt=" "><img data-asset="7"><img data-asset="7" alt=""><img data-decorative><img data-asset="8" alt="b">';
  expect(picturesWithoutAlt(body)).toEqual([
    { place: 2, asset: null },
    { place: 3, asset: null },
    { place: 4, asset: '7' },
    { place: 5, asset: null },
  ]);
});
