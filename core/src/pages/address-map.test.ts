import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { AddressMap, readAddressPairs } from './address-map.js';
import { findReferences } from './find-references.js';
import { applyEdits, planEdits } from './rewrite.js';

const SITE = 'https://skerry.example/';
const PAGE = 'https://skerry.example/news/2025/storm.html';
/** Rewrites an HTML page at its address. */
function rewrite(html: string, map: AddressMap, url: string | null = PAGE): string {
  const found = findReferences({ text: html, format: 'html', encoding: null });
  return applyEdits(html, planEdits(html, found.references, map.replacements(found, url)));
}

const RULES = {
  pairs: [
    { from: '/old/dusk.jpg', to: '/media/lights/dusk.jpg' },
    { from: 'https://files.example/plan.pdf', to: 'https://bucket.example/plan.pdf' },
    { from: '/old/show?id=7', to: '/media/seven.jpg' },
    { from: '/old/same.jpg', to: 'https://skerry.example/old/./same.jpg' },
    { from: '/old/q.jpg', to: '/media/q.jpg?v=2' },
  ],
  prefixes: [
    { from: 'https://files.example/', to: 'https://skerry.example/media/files/' },
    { from: 'https://files.example/lights/', to: '/media/lights/' },
  ],
};

describe('addresses are replaced', () => {
  const map = new AddressMap(RULES, SITE);

  test.each([
    ['/old/dusk.jpg', '/media/lights/dusk.jpg'],
    ['../../old/dusk.jpg', '/media/lights/dusk.jpg'],
    ['https://SKERRY.example:443/old/%64usk.jpg', 'https://skerry.example/media/lights/dusk.jpg'],
    ['//skerry.example/old/dusk.jpg', '//skerry.example/media/lights/dusk.jpg'],
    ['/old/dusk.jpg?w=600#xywh=1,2,3,4', '/media/lights/dusk.jpg?w=600#xywh=1,2,3,4'],
    ['/old/show?id=7', '/media/seven.jpg'],
    ['/old/q.jpg?w=1', '/media/q.jpg?v=2'],
    ['https://files.example/plan.pdf', 'https://bucket.example/plan.pdf'],
    ['https://files.example/a/b%20c.pdf', 'https://skerry.example/media/files/a/b%20c.pdf'],
    ['https://files.example/lights/dusk.jpg', 'https://skerry.example/media/lights/dusk.jpg'],
    ['/old/show?id=8', '/old/show?id=8'],
    ['/old/same.jpg', '/old/same.jpg'],
    ['/old/dusk.jpeg', '/old/dusk.jpeg'],
    ['http://skerry.example/old/dusk.jpg', 'http://skerry.example/old/dusk.jpg'],
    ['https://files.example.evil/a', 'https://files.example.evil/a'],
  ])('%s by %s', (before, after) => {
    expect(rewrite(`<a href="${before}">`, map)).toBe(`<a href="${after}">`);
  });

  test('alike in every document, whichever were looked at before', () => {
    const pages = [
      ...[PAGE, 'https://skerry.example/', 'https://skerry.example', 'http://skerry.example/a/b'],
      ...['https://other.example/old/a', null],
    ];
    const addresses = ['/old/dusk.jpg', 'dusk.jpg', '//skerry.example/old/dusk.jpg', '../../old/dusk.jpg'];
    addresses.push('https://files.example/plan.pdf', 'http:/old/dusk.jpg', 'old/dusk.jpg', '\t/old/dusk.jpg');
    const fresh = () => new AddressMap(RULES, SITE);
    const shared = fresh();
    for (const page of [...pages, ...pages.reverse()])
      for (const base of [null, '/old/', 'https://skerry.example/old/', 'https://files.example'])
        for (const address of addresses) {
          const [again, once] = [shared, fresh()].map((one) => one.replacements({ base }, page)({ address }));
          expect([page, base, address, again]).toEqual([page, base, address, once]);
        }
  });

  test('against the base that a document states', () => {
    expect(rewrite('<base href="/old/"><img src="dusk.jpg">', map)).toBe(
      '<base href="/old/"><img src="/media/lights/dusk.jpg">',
    );
  });

  test('in a document without an address of its own as from the root of the site', () => {
    expect(rewrite('<img src="/old/dusk.jpg"><img src="old/dusk.jpg">', map, null)).toBe(
      '<img src="/media/lights/dusk.jpg"><img src="/media/lights/dusk.jpg">',
    );
  });

  test('from old to new and back, each to itself', () => {
    const name = fc.stringMatching(/^[a-z0-9-]{1,8}$/);
    fc.assert(
      fc.property(fc.uniqueArray(name, { minLength: 1, maxLength: 20 }), (names) => {
        const pairs = names.map((one) => ({ from: `/old/${one}.jpg`, to: `/media/${one}.jpg` }));
        const html = names.map((one) => `<img src="/old/${one}.jpg" srcset="/old/${one}.jpg 2x">`).join('\n');
        const there = rewrite(html, new AddressMap({ pairs }, SITE));
        expect(there).toBe(html.replaceAll('/old/', '/media/'));
        const back = pairs.map(({ from, to }) => ({ from: to, to: from }));
        expect(rewrite(there, new AddressMap({ pairs: back }, SITE))).toBe(html);
      }),
    );
  });
});

test('an address without a query is no other one', () => {
  const map = new AddressMap({ pairs: [{ from: '/old/dusk.jp', to: '/new' }] }, SITE);
  expect(rewrite('<img src="/old/dusk.jpg"><img src="/old/dusk.jp?x">', map)).toBe(
    '<img src="/old/dusk.jpg"><img src="/new?x">',
  );
});

/** Source: RFC 4180. */
describe('a CSV of addresses', () => {
  test('is read with or without a header, with quotes, separators and blank lines', () => {
    const pairs = [
      { from: '/a.jpg', to: '/b.jpg' },
      { from: '/c, d.jpg', to: '/e.jpg' },
    ];
    for (const csv of [
      '/a.jpg,/b.jpg\n"/c, d.jpg",/e.jpg\n',
      'from,to\r\n/a.jpg,/b.jpg\r\n\r\n"/c, d.jpg", /e.jpg ',
      '\ufeffOld;New\n/a.jpg;/b.jpg\n"/c, d.jpg";/e.jpg',
    ])
      expect(readAddressPairs(csv)).toEqual({ pairs, faults: [] });
  });

  test('says which rows are none, and keeps the others', () => {
    const [most, long] = [`/${'x'.repeat(1999)}`, `/${'x'.repeat(2000)}`];
    expect(readAddressPairs(`${most},/g\n/h,${most}`)).toMatchObject({
      pairs: [{ from: most }, { to: most }],
      faults: [],
    });
    expect(readAddressPairs(`/h,${long}`)).toMatchObject({ pairs: [], faults: [{ row: 1 }] });
    expect(readAddressPairs(`/a,/b\n/c\n,/d\n/e,\n/a,/f\n${long},/g\n/h,/i\n/a,/j`)).toEqual({
      pairs: [
        { from: '/a', to: '/b' },
        { from: '/h', to: '/i' },
      ],
      faults: [
        { row: 2, message: 'it has one column; old and new address are needed' },
        { row: 3, message: 'its old address is empty' },
        { row: 4, message: 'its new address is empty' },
        { row: 5, message: 'row 1 has the same old address' },
        { row: 6, message: 'an address has more than 2000 characters' },
        { row: 8, message: 'row 1 has the same old address' },
      ],
    });
  });
});
