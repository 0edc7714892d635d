import { expect, test } from 'vitest';
import { parseFilter } from '../library/filter-parse.js';
import { copyFilterField } from './copy-filter.js';

const parse = (text: string) => parseFilter(text, 0, [copyFilterField]);

test.each([
  ['copy:offsite', { store: 'offsite' }],
  ['copy:"far away"', { store: 'far away' }],
  ['copy:" offsite "', { store: 'offsite' }],
  ['copy:" No "', { state: 'no' }],
  ['copy:NO', { state: 'no' }],
  ['copy:yes', { state: 'yes' }],
  ['copy:waiting', { state: 'waiting' }],
  ['copy:damaged', { state: 'damaged' }],
])('%s', (text, value) => {
  expect(parse(text)).toMatchObject({
    ok: true,
    filter: { op: 'is', condition: { field: 'plugged', name: 'copy', value } },
  });
});

test.each(['copy:""', 'copy:"  "'])('without a value, one is proposed: %s', (text) => {
  const parsed = parse(text);
  expect(parsed.ok).toBe(false);
  if (!parsed.ok) expect(parsed.error.suggestion).toBe('copy:no');
});
