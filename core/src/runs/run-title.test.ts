import { expect, test } from 'vitest';
import { commonFolder, runTitle } from './run-title.js';

test.each([
  [{ title: 'Renditions', total: 4, folder: '/news' }, 'Renditions of 4 files in /news'],
  [{ title: 'Renditions', total: 1, folder: '/' }, 'Renditions of 1 file'],
  [{ title: 'Renditions', total: 12_000, folder: '/a/b' }, 'Renditions of 12,000 files in /a/b'],
  [{ title: 'Editing 3 files', total: 3, folder: null }, 'Editing 3 files'],
])('%j', (run, title) => {
  expect(runTitle(run)).toBe(title);
});

test.each([
  ['/news', '/news', '/news'],
  ['/news/2026', '/news/2026/may', '/news/2026'],
  ['/news/2026', '/news/2025', '/news'],
  // A name that only begins alike is another folder.
  ['/news', '/newsreel', '/'],
  ['/', '/news', '/'],
  ['/a/x/c', '/b/x/c', '/'],
])('%s and %s are both in %s', (a, b, common) => {
  expect(commonFolder(a, b)).toBe(common);
  expect(commonFolder(b, a)).toBe(common);
});
