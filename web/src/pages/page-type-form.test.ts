import type { PageTypeAnswer } from '@uniferum/core/pages';
import { expect, test } from 'vitest';
import {
  EMPTY_SLOT,
  EMPTY_TYPE,
  fromPageType,
  limitsFault,
  TYPE_NAME,
  toPageType,
} from './page-type-form.js';

const LIGHT: PageTypeAnswer = {
  ...{ name: 'light', title: 'Lighthouse', regions: ['main', 'side'] },
  slots: [
    { name: 'pictures', help: 'The best first', kinds: ['image'], folders: ['/lights'], least: 1, most: 12 },
    { name: 'downloads', help: null, kinds: [], folders: [], least: 0, most: null },
  ],
};

test('a type is the same after it went through the form', () => {
  expect(toPageType(fromPageType(LIGHT))).toEqual(LIGHT);
});

test('lists may be written in any way, and what is empty means none', () => {
  const form = { ...EMPTY_TYPE, name: ' a ', regions: ' main,, side ,main' };
  expect(toPageType({ ...form, slots: [{ ...EMPTY_SLOT, name: 'b', least: '' }] })).toEqual({
    ...{ name: 'a', title: '', regions: ['main', 'side'] },
    slots: [{ name: 'b', help: null, kinds: [], folders: [], least: 0, most: null }],
  });
});

test('limits that nothing could meet are a fault', () => {
  expect(limitsFault({ least: '2', most: '1' })).toMatch(/must not be less/);
  expect(limitsFault({ least: '2', most: '2' })).toBeUndefined();
  expect(limitsFault({ least: '2', most: '' })).toBeUndefined();
  expect(['light-2', 'Light', '2a', ''].map((name) => TYPE_NAME.test(name))).toEqual([
    true,
    false,
    false,
    false,
  ]);
});
