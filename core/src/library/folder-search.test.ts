import { expect, test } from 'vitest';
import { searchFolders } from './folder-search.js';

const PATHS = [
  '/',
  '/lights',
  '/lights/gannet-head',
  '/lights/gannet-head/plans',
  '/news',
  '/news/gannets',
  '/old-lights',
];

test('without a word the first folders are listed in their order', () => {
  expect(searchFolders(PATHS, '  ', 3)).toEqual({ paths: ['/', '/lights', '/lights/gannet-head'], more: 4 });
  expect(searchFolders(PATHS, '', 7)).toEqual({ paths: PATHS, more: 0 });
});

test.each([
  // A name that begins so, then one that holds it, then what lies below.
  ['gannet', ['/news/gannets', '/lights/gannet-head', '/lights/gannet-head/plans']],
  ['LIGHTS', ['/lights', '/old-lights', '/lights/gannet-head', '/lights/gannet-head/plans']],
  ['plans lights', ['/lights/gannet-head', '/lights/gannet-head/plans'].slice(1)],
  ['lights plans', ['/lights/gannet-head/plans']],
  ['/news', ['/news', '/news/gannets']],
  ['harbour', []],
])('%s', (typed, paths) => {
  expect(searchFolders(PATHS, typed, 10)).toEqual({ paths, more: 0 });
});

test('a whole path comes before all others', () => {
  expect(searchFolders(['/a/b', '/b', '/a'], '/a', 10).paths).toEqual(['/a', '/a/b']);
});

test('equal ones are in the order of the alphabet, and words may stand far apart', () => {
  const paths = ['/b/fog', '/c/fog', '/a/fog'];
  expect(searchFolders(paths, 'fog', 10).paths).toEqual(['/a/fog', '/b/fog', '/c/fog']);
  expect(searchFolders([...paths].reverse(), ' fog \t  b', 10).paths).toEqual(['/b/fog']);
});

test('a name that begins so comes before one that holds it, and that before what lies below, however long each is', () => {
  const paths = ['/fog/x', '/the-fog', '/fog-signals-of-the-north'];
  expect(searchFolders(paths, 'fog', 10).paths).toEqual([...paths].reverse());
  // The whole path, with its slash, is what somebody chose from a list before.
  expect(searchFolders(['/a', '/news/b', '/news'], '/news', 10).paths).toEqual(['/news', '/news/b']);
});

test('says how many more there are', () => {
  const paths = Array.from({ length: 2000 }, (_, n) => `/folder-${String(n).padStart(4, '0')}`);
  expect(searchFolders(paths, 'folder', 50)).toEqual({ paths: paths.slice(0, 50), more: 1950 });
  expect(searchFolders(paths, '1999', 50)).toEqual({ paths: ['/folder-1999'], more: 0 });
});
