import { expect, test } from 'vitest';
import { isInScope } from './token-scope.js';

test('a folder is in scope with those below it, and not with those whose names begin alike', () => {
  expect(isInScope({ folder: '/news' }, '/news')).toBe(true);
  expect(isInScope({ folder: '/news' }, '/news/old')).toBe(true);
  expect(isInScope({ folder: '/news' }, '/newsroom')).toBe(false);
  expect(isInScope({ folder: '/news' }, '/')).toBe(false);
  expect(isInScope({ folder: '/' }, '/lights')).toBe(true);
});
