import fc from 'fast-check';
import { expect, test } from 'vitest';
import { normalizeAddress, resolveAddress } from './address.js';
import { findReferences } from './find-references.js';
import { moveStyles, needsCors, siteAssetType } from './site-asset.js';

const SITE = 'https://skerry.example/assets/';
const FILES = ['css/site.css', 'css/print.css', 'fonts/lamp.woff2', 'img/a b.png', 'img/fog:1.svg', 'x.css'];
const move = (text: string, path = 'css/site.css') =>
  moveStyles(text, { path, siteUrl: SITE, encoding: 'utf-8', has: (one) => FILES.includes(one) });

test.each([
  ['a relative address', 'url(../fonts/lamp.woff2)', 'url(../fonts/lamp.woff2)'],
  ['one with a query and a fragment', 'url(../img/a%20b.png?v=2#x)', 'url(../img/a%20b.png?v=2#x)'],
  [
    'one from the root of the site',
    'url("/assets/fonts/lamp.woff2?#iefix")',
    'url("../fonts/lamp.woff2?#iefix")',
  ],
  ['an absolute one', "url('https://skerry.example/assets/img/a%20b.png')", "url('../img/a%20b.png')"],
  ['one without a scheme', 'url(//SKERRY.example/assets/css/print.css)', 'url(print.css)'],
  ['an import', '@import "/assets/css/print.css" print;', '@import "print.css" print;'],
  ['one that climbs out and comes back', 'url(../../assets/x.css)', 'url(../x.css)'],
  [
    'one outside the folder, from the root',
    'url(/media/dusk.jpg)',
    'url(https://skerry.example/media/dusk.jpg)',
  ],
  [
    'one outside the folder, relative',
    'url(../../media/dusk.jpg)',
    'url(https://skerry.example/media/dusk.jpg)',
  ],
  [
    'one of another host',
    'url(https://elsewhere.example/assets/x.css)',
    'url(https://elsewhere.example/assets/x.css)',
  ],
  [
    'one of another host without a scheme',
    'url(//elsewhere.example/a.png)',
    'url(//elsewhere.example/a.png)',
  ],
  ['a relative one with dots', 'url(./../css/./print.css)', 'url(./../css/./print.css)'],
  ['one of the other scheme', 'url(http://skerry.example/assets/x.css)', 'url(../x.css)'],
  ['a query only', 'url(?x)', 'url(?x)'],
  [
    'one of another scheme',
    'url(ftp://skerry.example/assets/x.css)',
    'url(ftp://skerry.example/assets/x.css)',
  ],
  [
    'a scheme around another',
    'url(feed:https://skerry.example/assets/x.css)',
    'url(feed:https://skerry.example/assets/x.css)',
  ],
  ['data', 'url(data:image/png;base64,AAAA)', 'url(data:image/png;base64,AAAA)'],
  ['a fragment only', 'filter:url(#fog)', 'filter:url(#fog)'],
  ['a set of images', 'image-set("/assets/img/a%20b.png" 1x)', 'image-set("../img/a%20b.png" 1x)'],
  ['a colon that could be a scheme', 'url(/assets/img/fog%3A1.svg)', 'url(../img/fog%3A1.svg)'],
])('%s leads to the same file', (_what, before, after) => {
  expect(move(before)).toMatchObject({ text: after, edits: before === after ? 0 : 1, missing: [] });
});

test('what is missing in the folder is named, and still leads to the site', () => {
  expect(move('a{b:url(../img/gone.png)}c{d:url("/assets/gone.css")}')).toEqual({
    text: 'a{b:url(https://skerry.example/assets/img/gone.png)}c{d:url("https://skerry.example/assets/gone.css")}',
    edits: 2,
    missing: ['gone.css', 'img/gone.png'],
  });
});

test('every other byte stays, whatever its encoding', () => {
  const text = '/* \xe9\xff */ a{b:url(/assets/x.css)}\r\n\0';
  const { text: moved } = moveStyles(text, {
    ...{ path: 'x.css', siteUrl: SITE, encoding: 'iso-8859-1' },
    has: (path) => path === 'x.css',
  });
  expect(moved).toBe('/* \xe9\xff */ a{b:url(x.css)}\r\n\0');
});

test('however a file is referred to, it is the same one at the new place', () => {
  const there = 'https://media.skerry.example/site-assets/look/0123456789ab/';
  const written = (path: string, file: string) => {
    const absolute = SITE + file.split('/').map(encodeURIComponent).join('/');
    const root = absolute.slice('https://skerry.example'.length);
    const up = '../'.repeat(path.split('/').length - 1);
    return [absolute, root, absolute.slice('https:'.length), up + root.slice('/assets/'.length)];
  };
  fc.assert(
    fc.property(
      fc.constantFrom(...FILES.filter((file) => file.endsWith('.css'))),
      fc.array(fc.tuple(fc.constantFrom(...FILES), fc.nat({ max: 3 })), { minLength: 1, maxLength: 5 }),
      (path, uses) => {
        const text = uses.map(([file, way]) => `a{b:url("${written(path, file)[way]}")}`).join('\n');
        const { text: moved, missing } = move(text, path);
        expect(missing).toEqual([]);
        const found = findReferences({ text: moved, format: 'css', encoding: 'utf-8' }).references;
        expect(found.map(({ address }) => normalizeAddress(resolveAddress(address, there + path)))).toEqual(
          uses.map(([file]) => normalizeAddress(there + file.split('/').map(encodeURIComponent).join('/'))),
        );
        // Moved once more from there, nothing is left to change.
        expect(
          moveStyles(moved, { path, siteUrl: there, encoding: 'utf-8', has: (one) => FILES.includes(one) }),
        ).toEqual({ text: moved, edits: 0, missing: [] });
      },
    ),
  );
});

test('types are known by the name, and programs of a server are none', () => {
  expect(['a.CSS', 'b.mjs', 'c.woff2', 'd.svg', 'e.map'].map(siteAssetType)).toEqual([
    'text/css',
    'text/javascript',
    'font/woff2',
    'image/svg+xml',
    'application/json',
  ]);
  expect(['index.php', '.env', 'css', 'notes.txt', 'page.html', 'key.pem'].map(siteAssetType)).toEqual(
    Array(6).fill(null),
  );
  expect(['a.woff', 'b.TTF', 'c.mjs', 'd.css', 'e.js'].map(needsCors)).toEqual([
    true,
    true,
    true,
    false,
    false,
  ]);
});
