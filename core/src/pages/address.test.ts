import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import {
  joinAddress,
  normalizeAddress,
  resolveAddress,
  scopeOf,
  splitAddress,
  toAscii,
  writeLike,
} from './address.js';
import { baseOf, targetOf } from './reference.js';

/** Source: RFC 3986, 5.4.1 and 5.4.2 (strict). */
describe('resolving against http://a/b/c/d;p?q', () => {
  test.each([
    ['g:h', 'g:h'],
    ['g', 'http://a/b/c/g'],
    ['./g', 'http://a/b/c/g'],
    ['g/', 'http://a/b/c/g/'],
    ['/g', 'http://a/g'],
    ['//g', 'http://g'],
    ['?y', 'http://a/b/c/d;p?y'],
    ['g?y', 'http://a/b/c/g?y'],
    ['#s', 'http://a/b/c/d;p?q#s'],
    ['g#s', 'http://a/b/c/g#s'],
    ['g?y#s', 'http://a/b/c/g?y#s'],
    [';x', 'http://a/b/c/;x'],
    ['g;x', 'http://a/b/c/g;x'],
    ['g;x?y#s', 'http://a/b/c/g;x?y#s'],
    ['', 'http://a/b/c/d;p?q'],
    ['.', 'http://a/b/c/'],
    ['./', 'http://a/b/c/'],
    ['..', 'http://a/b/'],
    ['../', 'http://a/b/'],
    ['../g', 'http://a/b/g'],
    ['../..', 'http://a/'],
    ['../../', 'http://a/'],
    ['../../g', 'http://a/g'],
    ['../../../g', 'http://a/g'],
    ['../../../../g', 'http://a/g'],
    ['/./g', 'http://a/g'],
    ['/../g', 'http://a/g'],
    ['g.', 'http://a/b/c/g.'],
    ['.g', 'http://a/b/c/.g'],
    ['g..', 'http://a/b/c/g..'],
    ['..g', 'http://a/b/c/..g'],
    ['./../g', 'http://a/b/g'],
    ['./g/.', 'http://a/b/c/g/'],
    ['g/./h', 'http://a/b/c/g/h'],
    ['g/../h', 'http://a/b/c/h'],
    ['g;x=1/./y', 'http://a/b/c/g;x=1/y'],
    ['g;x=1/../y', 'http://a/b/c/y'],
    ['g?y/./x', 'http://a/b/c/g?y/./x'],
    ['g?y/../x', 'http://a/b/c/g?y/../x'],
    ['g#s/./x', 'http://a/b/c/g#s/./x'],
    ['g#s/../x', 'http://a/b/c/g#s/../x'],
    ['http:g', 'http:g'],
  ])('%s is %s', (reference, target) => {
    expect(resolveAddress(reference, 'http://a/b/c/d;p?q')).toBe(target);
  });

  test('a base without a path gives a relative one a slash', () => {
    expect(resolveAddress('g', 'http://a')).toBe('http://a/g');
    expect(resolveAddress('?y', 'http://a?q')).toBe('http://a?y');
    // Without an authority a path begins with no slash of its own.
    expect(resolveAddress('g', 'x:?q')).toBe('x:g');
    expect(resolveAddress('./', 'x:a')).toBe('x:');
    expect(resolveAddress('g', 'x:a/b')).toBe('x:a/g');
  });

  /** An independent resolver: WHATWG URL, as the platform has it. They agree wherever both allow the address. */
  test("is what the platform's own resolver finds", () => {
    const segment = fc.constantFrom('a', 'b;x', '.', '..', 'c.jpg', 'd~wide.webp', '');
    const path = fc.array(segment, { maxLength: 6 }).map((segments) => segments.join('/'));
    const query = fc.constantFrom('', '?x=1', '?x/../y');
    fc.assert(
      fc.property(path, path, query, (from, to, query) => {
        fc.pre(!to.startsWith('//'));
        // The address of a document has no dot segments.
        const base = normalizeAddress(`http://skerry.example/${from}`);
        const ours = normalizeAddress(resolveAddress(to + query, base));
        expect(ours).toBe(new URL(to + query, base).href);
      }),
      { numRuns: 1000 },
    );
  });
});

test('an address is put together from the parts that it was taken apart into', () => {
  const address = fc.webUrl({ withFragments: true, withQueryParameters: true });
  fc.assert(
    fc.property(address, (text) => {
      expect(joinAddress(splitAddress(text))).toBe(text);
    }),
  );
  for (const text of ['', '?', '#', '//', 'a:b', '//h?#', './a:b'])
    expect(joinAddress(splitAddress(text))).toBe(text);
});

/** Source: RFC 3986, 6.2.2 and 6.2.3. */
describe('addresses that are equal', () => {
  test.each([
    ['HTTP://www.Example.COM/', 'http://www.example.com/'],
    ['http://example.com', 'http://example.com/'],
    ['http://example.com:80/', 'http://example.com/'],
    ['http://example.com:/', 'http://example.com/'],
    ['https://example.com:443/a', 'https://example.com/a'],
    ['https://example.com:80/a', 'https://example.com:80/a'],
    ['http://a/%7euser/%3c%2F', 'http://a/~user/%3C%2F'],
    ['http://a/b/./c/../d', 'http://a/b/d'],
    ['http://a/b#c', 'http://a/b'],
    ['http://a/b?', 'http://a/b?'],
    ['http://a/mé dia.jpg?q=ü', 'http://a/m%C3%A9%20dia.jpg?q=%C3%BC'],
    ['http://a/100%.jpg', 'http://a/100%25.jpg'],
    ['http://a/b\\c', 'http://a/b/c'],
  ])('%s is written %s', (address, normal) => {
    expect(normalizeAddress(address)).toBe(normal);
    expect(normalizeAddress(normal)).toBe(normal);
  });
});

describe('a new address is written like the old one', () => {
  const base = 'https://skerry.example/news/1.html';
  const to = 'https://skerry.example/media/dusk.jpg';
  const away = 'https://bucket.example/dusk.jpg';
  test.each([
    ['https://skerry.example/old.jpg', to, base, to],
    ['/old.jpg', to, base, '/media/dusk.jpg'],
    ['../old.jpg#xywh=1', to, base, '/media/dusk.jpg#xywh=1'],
    ['//skerry.example/old.jpg', to, base, '//skerry.example/media/dusk.jpg'],
    ['//skerry.example/old.jpg', 'http://bucket.example/dusk.jpg', base, 'http://bucket.example/dusk.jpg'],
    ['old.jpg', away, base, away],
    ['old.jpg', to, null, to],
    ['old.jpg?v=1', '/new.jpg', base, '/new.jpg'],
    ['old.jpg', 'HTTPS://SKERRY.example:443/é.jpg', base, '/%C3%A9.jpg'],
    ['old.jpg', 'http://skerry.example/media/dusk.jpg', base, 'http://skerry.example/media/dusk.jpg'],
  ])('%s to %s', (before, after, where, written) => {
    expect(writeLike(before, after, where)).toBe(written);
  });

  test('in ASCII, without what an attribute could end at', () => {
    expect(toAscii(`/a b"c'd<e>f\`g\\h{é}.jpg?x=[1]#t`)).toBe(
      '/a%20b%22c%27d%3Ce%3Ef%60g%5Ch%7B%C3%A9%7D.jpg?x=[1]#t',
    );
  });
});

// Source: WHATWG HTML, "set the frozen base URL".
test.each([
  [null, 'https://a.example/x', 'https://a.example/x'],
  ['/b/', 'https://a.example/x', 'https://a.example/b/'],
  ['//b.example/', 'https://a.example/x', 'https://b.example/'],
  ['https://c.example/', null, 'https://c.example/'],
  ['/b/', null, null],
  ['data:text/html,x', 'https://a.example/x', 'https://a.example/x'],
  ['JavaScript:x', 'https://a.example/x', 'https://a.example/x'],
  ['java\nscript:x', 'https://a.example/x', 'https://a.example/x'],
])('a base of “%s” in a document at %s is %s', (base, url, expected) => {
  expect(baseOf(base, url)).toBe(expected);
});

test('addresses with the same scope and text lead to the same place, and those without a path of their own have that of their page', () => {
  const page = fc.constantFrom(
    'https://a.example/b/c',
    'https://a.example',
    'https://a.example/x?y',
    '/b/',
    '//a/b',
  );
  const pieces = fc.constantFrom(
    '/',
    '//',
    '.',
    '..',
    'a',
    ':',
    'https:',
    '?',
    '#',
    '\t',
    '\n',
    '\\',
    '%41',
    'b.jpg',
  );
  const address = fc.array(pieces, { maxLength: 6 }).map((some) => some.join(''));
  let shared = 0;
  fc.assert(
    fc.property(address, page, page, (text, one, other) => {
      if (scopeOf(text, one) !== scopeOf(text, other)) return;
      if (one !== other) shared += 1;
      expect(targetOf(text, one)).toBe(targetOf(text, other));
    }),
    { numRuns: 3000 },
  );
  expect(shared).toBeGreaterThan(30);
  expect(scopeOf('b.jpg', 'https://a.example/b/c')).toBe('https://a.example/b/c');
  expect(scopeOf('/b.jpg', 'https://a.example/b/c')).toBe('https://a.example');
  expect(scopeOf('/b.jpg', null)).toBe('');
  for (const half of ['/a%', '/a%2', '/a%2g']) expect(normalizeAddress(half)).toBe(half.replace('%', '%25'));
});
