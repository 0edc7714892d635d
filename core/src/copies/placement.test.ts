import { expect, test } from 'vitest';
import { type FolderPlacement, NO_PLACEMENT, resolvePlacement } from './placement.js';

const placement = (...stores: string[]): FolderPlacement => ({
  stores,
  serveFrom: null,
  keepLocal: true,
  rewritePages: false,
});

test('without any, files stay in the home store', () => {
  expect(resolvePlacement([])).toEqual({ ...NO_PLACEMENT, from: null });
  expect(NO_PLACEMENT).toEqual({ stores: [], serveFrom: null, keepLocal: true, rewritePages: false });
});

test('that of the nearest folder holds as a whole', () => {
  const whole = { path: '/', placement: { ...placement('media'), serveFrom: 'media', keepLocal: 7 } };
  const inner = { path: '/lights', placement: placement('vault') };
  expect(resolvePlacement([whole, inner])).toEqual({ ...placement('vault'), from: '/lights' });
  expect(resolvePlacement([whole])).toEqual({ ...whole.placement, from: '/' });
});

test('a folder can say that nothing is placed', () => {
  const none = { path: '/drafts', placement: placement() };
  expect(resolvePlacement([{ path: '/', placement: placement('media') }, none]).stores).toEqual([]);
});
