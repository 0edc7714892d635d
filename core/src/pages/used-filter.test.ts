import { expect, test } from 'vitest';
import { parseFilter } from '../library/filter-parse.js';
import { usedFilterField } from './used-filter.js';

const parse = (text: string) => parseFilter(text, 0, [usedFilterField]);

test.each([
  ['used:yes', 1, null],
  ['used:NO', 0, 0],
  ['used>5', 6, null],
  ['used:>5', 6, null],
  ['used>=5', 5, null],
  ['used<5', 0, 4],
  ['used<=5', 0, 5],
  ['used:5', 5, 5],
  ['used:0', 0, 0],
  ['used:2..4', 2, 4],
])('%s is from %s to %s', (text, least, most) => {
  expect(parse(text)).toMatchObject({
    ok: true,
    filter: { op: 'is', condition: { field: 'plugged', name: 'used', value: { least, most } } },
  });
});

test.each([
  ['used:perhaps', 'used:yes'],
  ['used:4..2', 'used:2..4'],
  ['used:-1', 'used:yes'],
  ['used>many', 'used>yes'],
])('%s is none; %s is proposed', (text, suggestion) => {
  const parsed = parse(text);
  expect(parsed.ok).toBe(false);
  if (!parsed.ok) expect(parsed.error.suggestion).toBe(suggestion);
});
