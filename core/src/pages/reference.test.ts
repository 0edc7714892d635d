import { describe, expect, test } from 'vitest';
import { attributeKind, isMetaAddress } from './html-attributes.js';
import { baseOf, isAddressLike, isFetched, targetOf } from './reference.js';

const having = (is: (text: string) => boolean, texts: readonly string[]) => texts.filter(is);

describe('what can be fetched', () => {
  test('is an address without a scheme, or with that of the web', () => {
    const fetched = [
      'a.jpg',
      '/a',
      '?a',
      '//e/a',
      'http://e',
      'HTTPS://e',
      '1a:b',
      'a/b:c',
      'a#b',
      'a{b}%c$',
    ];
    expect(having(isFetched, fetched)).toEqual(fetched);
    expect(
      having(isFetched, ['', '#', '#a', 'mailto:a@b.example', 'data:,a', 'x-a1+.b:c', 'ftp://e/a', 'blob:a']),
    ).toEqual([]);
  });

  test('is not made by a template', () => {
    expect(having(isFetched, ['{{ a }}', 'a/{% b %}', '<%= a %>', `/a/${'$'}{b}.jpg`])).toEqual([]);
  });
});

describe('a text that is an address as a whole', () => {
  test.each([
    ...['https://e', 'http://e/a', 'HTTPS://E/a', '//e/a', '/a', './a', '../a', '../a/b.html', '/a?b=//c'],
    ...[
      'a.jpg',
      'a.JPEG',
      'a/b.webp?c',
      'a.svg#b',
      'a.svgz',
      'a.heic',
      'a.heif',
      'a.tif',
      'a.ogv',
      'a.odt',
      'a.js',
    ],
    `${'a'.repeat(4092)}.jpg`,
  ])('%#: %s', (text) => {
    expect(isAddressLike(text)).toBe(true);
  });

  test.each([
    ...[
      '',
      '/',
      '//',

      '.../a',
      'a',
      'a.b',
      'jpg',
      'ajpg',
      'a.jpgs',
      'a.jpg.b',
      'a.jpg,',
      'https://',
      '// a',
    ],
    ...[
      'https://e /a',
      'https://e/a b',
      '/a b',
      'a b.jpg',
      'a\n.jpg',
      'mailto:a.jpg',
      'data:image/a.png',
      'c:a.jpg',
    ],
    `${'a'.repeat(4093)}.jpg`,
  ])('is not %#: %j', (text) => {
    expect(isAddressLike(text)).toBe(false);
  });
});

/** Source: the Open Graph protocol; schema.org. */
test('properties of a page with an address as their content are told by their names', () => {
  const names = [
    ...[
      'og:image',
      'og:image:url',
      'og:image:secure_url',
      'og:image:src',
      'og:video',
      'og:audio',
      'card:player',
    ],
    ...['thumbnail', 'thumbnailUrl', 'contentUrl', 'image', 'imageURL', 'embedUrl', ' image '],
    ...['site-TileImage', 'site-square70x70logo', 'site-wide310x150logo'],
  ];
  expect(having((name) => isMetaAddress([name]), names)).toEqual(names);
  const others = [
    ...[
      'og:image:width',
      'og:image:alt',
      'og:images',
      'og:title',
      'og2:image',
      ':image',
      'og:image:',
      'the image',
    ],
    ...[
      'thumbnails',
      'contents',
      'imageurls',
      'site-tall70x70logo',
      'site-squarelogo',
      'site-tileimages',
      '-tileimage',
    ],
    ...['site-square70x70logos', 'site-squarexlogo', 'og:image:secure_', ''],
  ];
  expect(having((name) => isMetaAddress([name]), others)).toEqual([]);
  expect(isMetaAddress([undefined, 'description', 'og:image'])).toBe(true);
  expect(isMetaAddress([undefined, undefined])).toBe(false);
});

/** Source: WHATWG HTML, "Attributes"; SVG 2, 16.1. */
test.each([
  ['a', 'href', 'link'],
  ['a', 'xlink:href', 'link'],
  ['image', 'xlink:href', 'address'],
  ['image', 'href', 'address'],
  ['use', 'href', 'address'],
  ['g', 'href', null],
  ['image', 'src', null],
  ['img', 'href', null],
  ['img', 'data-src', 'address'],
  ['a', 'data-src', 'link'],
  ['p', 'style', 'style'],
  ['constructor', 'src', null],
])('the attribute of <%s %s> is %s', (element, attribute, kind) => {
  expect(attributeKind(element, attribute)).toBe(kind);
});

describe('the target of a reference', () => {
  test('is absolute where the address of its document is known, and unknown otherwise', () => {
    expect(targetOf('a.jpg', 'https://e/b/c.html')).toBe('https://e/b/a.jpg');
    expect(targetOf('\ta\n.jpg\r', 'https://e/b/')).toBe('https://e/b/a.jpg');
    expect(targetOf('HTTPS://E/a', null)).toBe('https://e/a');
    expect(targetOf('/a.jpg', null)).toBeNull();
  });

  test('is taken from the base that the document states, unless that is none', () => {
    const document = 'https://e/b/c.html';
    expect(baseOf(null, document)).toBe(document);
    expect(baseOf('../d/', document)).toBe('https://e/d/');
    expect(baseOf('..\n/d/', document)).toBe('https://e/d/');
    expect(baseOf('https://f/', null)).toBe('https://f/');
    for (const none of ['data:,a', 'JavaScript:a']) expect(baseOf(none, document)).toBe(document);
    expect(baseOf('/d/', null)).toBeNull();
  });
});
