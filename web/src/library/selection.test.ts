import { beforeEach, expect, test } from 'vitest';
import { toSelection, useSelection } from './selection.js';

const order = ['1', '2', '3', '4', '5'];
const found = { q: 'alt:none', folder: '/', deep: true };
beforeEach(() => useSelection.getState().clear());

test('one after the other, and off again', () => {
  const { toggle } = useSelection.getState();
  toggle('3');
  toggle('1');
  toggle('3');
  expect(toSelection(useSelection.getState(), found)).toEqual({ ids: ['1'] });
});

test('a range from the one chosen last, in either direction', () => {
  const { toggle, extendTo } = useSelection.getState();
  toggle('4');
  extendTo('2', order);
  expect([...useSelection.getState().ids].sort()).toEqual(['2', '3', '4']);
});

test('a range without a beginning is the one alone', () => {
  useSelection.getState().extendTo('2', order);
  expect([...useSelection.getState().ids]).toEqual(['2']);
});

test('all that is found is the filter itself, not what was loaded of it', () => {
  const { toggle, chooseAll } = useSelection.getState();
  toggle('1');
  chooseAll();
  expect(toSelection(useSelection.getState(), found)).toEqual(found);
  toggle('2');
  expect(toSelection(useSelection.getState(), found)).toEqual({ ids: ['2'] });
});
