import { expect, test } from 'vitest';
import { ALL_RIGHTS, hasRight } from './rights.js';

test('a right is held when it was granted, and only then', () => {
  expect(hasRight(['library:read', 'runs:read'], 'runs:read')).toBe(true);
  expect(hasRight(['library:read'], 'library:write')).toBe(false);
  expect(hasRight([], 'library:read')).toBe(false);
  expect(ALL_RIGHTS.every((right) => hasRight(ALL_RIGHTS, right))).toBe(true);
});
