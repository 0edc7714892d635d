import { expect, test } from 'vitest';
import { resolveAccess } from './folder-access.js';

test('by default everybody reads files, with their rights', () => {
  expect(resolveAccess([])).toEqual({
    visibility: { value: 'public', from: null },
    publicMetadata: { value: 'rights', from: null },
  });
});

test('each setting is that of the nearest folder that has it', () => {
  const chain = [
    { path: '/', access: { visibility: 'private', publicMetadata: 'none' } },
    { path: '/lights', access: { visibility: null, publicMetadata: 'all' } },
    { path: '/lights/open', access: { visibility: 'public', publicMetadata: null } },
  ] as const;
  expect(resolveAccess(chain)).toEqual({
    visibility: { value: 'public', from: '/lights/open' },
    publicMetadata: { value: 'all', from: '/lights' },
  });
  expect(resolveAccess(chain.slice(0, 2)).visibility).toEqual({ value: 'private', from: '/' });
});
