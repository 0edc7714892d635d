import { expect, test } from 'vitest';
import { commandLine, option, shellQuote } from './command-line.js';

test.each([
  ['/lights/gannet', '/lights/gannet'],
  ['two words', "'two words'"],
  ["it's", `'it'\\''s'`],
  ['$HOME; rm *', "'$HOME; rm *'"],
  ['', "''"],
])('%j is quoted for a shell as %s', (text, quoted) => {
  expect(shellQuote(text)).toBe(quoted);
});

test('words that are absent are left out', () => {
  expect(commandLine('set', null, ...option('--alt', 'A light'), ...option('--title', ''))).toBe(
    "uniferum set --alt 'A light'",
  );
});
