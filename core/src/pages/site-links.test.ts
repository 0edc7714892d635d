import { expect, test } from 'vitest';
import { isWithinSite, type SiteLimits, siteLink } from './site-links.js';

const LIMITS: SiteLimits = { url: 'https://skerry.example/guide/index.html', depth: 3, checked: true };
const PAGE = { base: 'https://skerry.example/guide/lights/gannet.html', depth: 1 };

test.each<[attribute: string, address: string, link: ReturnType<typeof siteLink>]>([
  ['a href', 'maiden.html', page('guide/lights/maiden.html', 2)],
  ['area href', '../tides/', page('guide/tides/', 2)],
  ['iframe src', '/guide/chart.html#north', page('guide/chart.html', 2)],
  ['a href', 'maiden.html?year=1907#oil', page('guide/lights/maiden.html?year=1907', 2)],
  ['a href', 'gannet-plan.PDF', check('https://skerry.example/guide/lights/gannet-plan.PDF')],
  ['img src', 'dusk.jpg', check('https://skerry.example/guide/lights/dusk.jpg')],
  ['link href', '/guide/guide.css', page('guide/guide.css', 1)],
  ['style @import', '/guide/print.css', page('guide/print.css', 1)],
  ['link href', '/brand/site.css', check('https://skerry.example/brand/site.css')],
  ['a href', '/news/', check('https://skerry.example/news/')],
  ['a href', 'http://skerry.example/guide/', check('http://skerry.example/guide/')],
  ['a href', 'https://other.example/guide/', check('https://other.example/guide/')],
  ['link href', 'https://fonts.example', null],
  ['link href', 'https://fonts.example/', null],
  ['img src', 'https://fonts.example/', check('https://fonts.example/')],
  ['a href', 'ftp://files.example/a', null],
  ['a href', 'mailto:keeper@skerry.example', null],
  ['a href', 'http:', null],
])('%s “%s”', (attribute, address, link) => {
  expect(siteLink({ attribute, address }, PAGE, LIMITS)).toEqual(link);
});

test('pages beyond the depth are checked, not read; style sheets of the last page are', () => {
  const last = { ...PAGE, depth: 3 };
  expect(siteLink({ attribute: 'a href', address: 'x.html' }, last, LIMITS)).toMatchObject({ what: 'check' });
  expect(siteLink({ attribute: 'link href', address: 'x.css' }, last, LIMITS)).toMatchObject({
    what: 'page',
  });
});

test('without checking only pages are left', () => {
  const limits = { ...LIMITS, checked: false };
  expect(siteLink({ attribute: 'img src', address: 'dusk.jpg' }, PAGE, limits)).toBeNull();
  expect(siteLink({ attribute: 'a href', address: 'x.html' }, PAGE, limits)).toMatchObject({ what: 'page' });
});

test('where the address of a page is not known, relative addresses lead nowhere', () => {
  expect(siteLink({ attribute: 'a href', address: 'x.html' }, { base: null, depth: 0 }, LIMITS)).toBeNull();
});

test.each([
  ['https://a.example/', 'https://a.example/x/y', true],
  ['https://a.example/', 'https://A.example/x', true],
  ['https://a.example', 'https://a.example/x', true],
  ['https://a.example/guide/', 'https://a.example/guide', false],
  ['https://a.example/guide/', 'https://a.example/guidebook/', false],
  ['https://a.example/guide/', 'https://a.example:8443/guide/', false],
  ['https://a.example/guide/', 'http://a.example/guide/', false],
])('%s contains %s: %s', (first, url, isIn) => {
  expect(isWithinSite(first, url)).toBe(isIn);
});

function page(path: string, depth: number) {
  return { url: `https://skerry.example/${path}`, what: 'page' as const, depth };
}

function check(url: string) {
  return { url, what: 'check' as const, depth: 1 };
}

test('a site that is given without a host has pages without one', () => {
  expect(isWithinSite('/a/', '/a/b')).toBe(true);
  for (const [first, url] of [
    ['/a/', 'https://e/a/b'],
    ['https://e/a/', '/a/b'],
    ['//e/a/', '/a/b'],
    ['//e/a/', '//E/a/b'],
  ] as const)
    expect(isWithinSite(first, url), `${first} ${url}`).toBe(url === '//E/a/b');
});
