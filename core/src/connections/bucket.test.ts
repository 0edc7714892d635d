import { expect, test } from 'vitest';
import { objectAddress } from './bucket.js';

test('an address encodes all but unreserved characters, and keeps slashes', () => {
  // RFC 3986 §2.3.
  expect(objectAddress('https://media.example', "a b/c+d~é!(1)*'.jpg")).toBe(
    'https://media.example/a%20b/c%2Bd~%C3%A9%21%281%29%2A%27.jpg',
  );
});

test('a base address may end in slashes', () => {
  expect(objectAddress('https://media.example/x//', 'k')).toBe('https://media.example/x/k');
});
