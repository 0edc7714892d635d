import { describe, expect, test } from 'vitest';
import type { Asset } from '../library/asset.js';
import { addressOf, galleryHtml, mediaHtml } from './page-html.js';
import { pickMedia } from './picked-media.js';

function asset(more: Partial<Asset>): Asset {
  return {
    ...{ id: '7', name: 'dusk.jpg', kind: 'image', url: '/media/lights/dusk.jpg', width: 400, height: 300 },
    ...{ title: null, alt: null, caption: null, link: null, renditions: [], ...more },
  } as unknown as Asset;
}
const rendition = (variant: string | null, more = {}) => ({
  ...{ recipe: 'wide', variant, state: 'fresh', mime: 'image/webp', width: 800, height: 600 },
  ...{ url: `/media/lights/dusk~wide${variant ?? '.webp'}`, ...more },
});
const renditionsOf = (...all: object[]) => ({ renditions: all as unknown as Asset['renditions'] });

describe('a picture', () => {
  test('without a recipe is its original, with its size', () => {
    expect(mediaHtml(asset({}), null, 'A "light"')).toBe(
      '<img src="/media/lights/dusk.jpg" width="400" height="300" alt="A &#34;light&#34;" loading="lazy" decoding="async">',
    );
    for (const unknown of [{ width: null }, { height: null }])
      expect(mediaHtml(asset({ kind: 'vector', ...unknown }), null, '')).not.toMatch(/width|height/);
  });

  test('has the alternative text of the page, or else its own, or none', () => {
    const alt = (own: string | null, ofPage: string | null) =>
      /alt="([^"]*)"/.exec(mediaHtml(asset({ alt: own }), null, ofPage))?.[1];
    expect([alt('own', 'of the page'), alt('own', ''), alt('own', null), alt(null, null)]).toEqual([
      'of the page',
      '',
      'own',
      '',
    ]);
  });

  test('is what a recipe has made of it, and the original while there is nothing', () => {
    const made = asset(renditionsOf(rendition(null)));
    expect(mediaHtml(made, 'wide', null)).toContain('/media/lights/dusk~wide.webp');
    expect(mediaHtml(made, 'small', null)).toContain('src="/media/lights/dusk.jpg"');
  });
});

describe('an address', () => {
  test('is that of the main rendition, of any, of the original, or of a link', () => {
    const both = asset(renditionsOf(rendition('500w.webp'), rendition(null)));
    expect(addressOf(both, 'wide')).toBe('/media/lights/dusk~wide.webp');
    expect(addressOf(both, 'small')).toBe('/media/lights/dusk.jpg');
    expect(addressOf(both, null)).toBe('/media/lights/dusk.jpg');
    expect(addressOf(asset(renditionsOf(rendition('500w.webp'))), 'wide')).toBe(
      '/media/lights/dusk~wide500w.webp',
    );
    expect(addressOf(asset(renditionsOf(rendition(null, { url: null }))), 'wide')).toBe(
      '/media/lights/dusk.jpg',
    );
    const link = { address: 'https://films.example/a' } as Asset['link'];
    expect(addressOf(asset({ link }), 'wide')).toBe('https://films.example/a');
  });
});

describe('a film, a sound and a file', () => {
  test('are called by their text, title or name', () => {
    const film = asset({ kind: 'video', url: '/media/a.mp4', title: 'The crossing' });
    expect(mediaHtml(film, null, null)).toBe(
      '<video src="/media/a.mp4" controls preload="none" aria-label="The crossing"></video>',
    );
    expect(mediaHtml({ ...film, kind: 'audio' }, null, 'Fog & horn')).toBe(
      '<audio src="/media/a.mp4" controls preload="none" aria-label="Fog &amp; horn"></audio>',
    );
    expect(mediaHtml(asset({ kind: 'document', name: 'a<b.pdf' }), null, null)).toBe(
      '<a href="/media/lights/dusk.jpg">a&#60;b.pdf</a>',
    );
  });

  test('a film has a picture before it plays: of the recipe, or of any that made one', () => {
    const film = (...all: object[]) =>
      mediaHtml(asset({ kind: 'video', ...renditionsOf(...all) }), 'wide', null);
    const other = rendition(null, { recipe: 'other', url: '/other.jpg', mime: 'image/jpeg' });
    expect(film(other, rendition(null))).toContain(' poster="/media/lights/dusk~wide.webp"');
    expect(film(rendition(null, { recipe: 'clip', mime: 'video/mp4' }), other)).toContain(
      ' poster="/other.jpg"',
    );
    expect(film(rendition(null, { recipe: 'clip', mime: 'video/mp4' }))).not.toContain('poster');
  });
});

describe('what is elsewhere', () => {
  const link = {
    address: 'https://films.example/a?b',
    provider: null,
    html: null,
    width: null,
    height: null,
  };
  const embed = (more: object, rest: Partial<Asset> = {}) =>
    mediaHtml(
      asset({ kind: 'link', link: { ...link, ...more } as unknown as Asset['link'], ...rest }),
      null,
      'Film',
    );

  test('is a link to it, by the name of its provider or host', () => {
    expect(embed({})).toBe(
      '<details class="embed"><summary><span>Film</span></summary><a href="https://films.example/a?b" rel="noreferrer">films.example</a></details>',
    );
    expect(embed({ provider: 'Films & more' })).toContain('>Films &amp; more</a>');
    expect(embed({ address: 'mailto:a@b.example' })).toContain('>mailto:a@b.example</a>');
    expect(mediaHtml(asset({ kind: 'link' }), null, null)).toBe('');
  });

  test('is framed without the rights of the page, in its size, behind a picture', () => {
    const html = embed(
      { html: '<b>"', width: 16, height: 9 },
      renditionsOf(rendition(null, { url: null }), rendition(null)),
    );
    expect(html).toContain(
      '<iframe srcdoc="&#60;b&#62;&#34;" sandbox="allow-scripts allow-popups" loading="lazy" title="Film" width="16" height="9"></iframe>',
    );
    expect(html).toContain('<img src="/media/lights/dusk~wide.webp" alt="" loading="lazy" decoding="async">');
    expect(embed({ html: 'x', width: 16 })).not.toContain('width');
  });
});

test('what is picked comes with the renditions of its recipe that exist, and its HTML', () => {
  const [main, small] = [rendition(null), rendition('500w.webp', { width: 500 })];
  const one = asset(
    renditionsOf(main, small, rendition(null, { recipe: 'other' }), rendition('9w.webp', { url: null })),
  );
  const picked = pickMedia(one, { recipe: 'wide', alt: 'A light', sizes: '50vw' });
  expect(picked).toEqual({
    ...{ asset: one, recipe: 'wide', renditions: [main, small], alt: 'A light' },
    html: mediaHtml(one, 'wide', 'A light', '50vw'),
  });
  expect(picked.html).toContain('sizes="50vw"');
  expect(pickMedia(one, { recipe: null, alt: '' }).renditions).toEqual([]);
});

test('a gallery has its layout, and captions where there are any', () => {
  const html = galleryHtml({ layout: 'rows', recipe: null } as never, [
    asset({ caption: 'Dusk & fog', alt: 'A light' }),
    asset({ url: '/media/b.jpg' }),
  ]);
  expect(html).toMatch(
    /^<div class="gallery gallery-rows"><figure><a href="\/media\/lights\/dusk\.jpg"><img [^>]*alt="A light"[^>]*><\/a><figcaption>Dusk &amp; fog<\/figcaption><\/figure><figure><a href="\/media\/b\.jpg"><img [^>]*><\/a><\/figure><\/div>$/,
  );
});
