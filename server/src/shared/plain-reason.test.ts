import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect, test } from 'vitest';
import { plainReason } from './plain-reason.js';

const STORED = '/srv/uniferum/store/ab/cd/abcd';
const MADE = join(tmpdir(), 'uniferum-source-1.png');

test.each([
  [
    `Input file has corrupt header: ${STORED}: bad seek to 1024\n${STORED}: bad seek to 7`,
    'Input file has corrupt header: bad seek to 1024',
  ],
  [`${STORED}: bad seek to 1710\nheif: Error while`, 'bad seek to 1710'],
  [`Input file is missing: ${MADE}`, 'Input file is missing'],
  [`ENOENT: no such file or directory, open '${STORED}'`, 'ENOENT: no such file or directory'],
  [`ENOENT: no such file or directory, stat '${MADE}'`, 'ENOENT: no such file or directory'],
  [
    'the watermark /marks/gone.svg is not in the library.',
    'the watermark /marks/gone.svg is not in the library',
  ],
  ["step 2: at 10 × 10 it can't be smaller", "step 2: at 10 × 10 it can't be smaller"],
])('%s', (said, shown) => {
  expect(plainReason(new Error(said), [STORED])).toBe(shown);
});

test('is no longer than a line', () => {
  expect(plainReason('x'.repeat(5000))).toHaveLength(300);
});
