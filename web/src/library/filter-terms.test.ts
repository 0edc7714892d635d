import { expect, test } from 'vitest';
import { quoteValue, withTerm } from './filter-terms.js';

test.each([
  ['', 'kind', 'image', 'kind:image'],
  ['fog', 'kind', 'image', 'fog kind:image'],
  ['kind:video fog', 'kind', 'image', 'fog kind:image'],
  ['credit:"Edda Farrow" fog', 'credit', '"Tam Hollin"', 'fog credit:"Tam Hollin"'],
  ['captured>2024 fog', 'captured', '2025-01..2025-03', 'fog captured:2025-01..2025-03'],
  ['captured:2025 fog', 'captured', null, 'fog'],
  ['mankind:x', 'kind', 'image', 'mankind:x kind:image'],
])('%j with %s:%s is %j', (q, field, value, expected) => {
  expect(withTerm(q, field, value)).toBe(expected);
});

test('values with spaces are quoted', () => {
  expect([quoteValue('sea'), quoteValue('still water'), quoteValue('a "b"')]).toEqual([
    'sea',
    '"still water"',
    '"a b"',
  ]);
});
