import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect, test } from 'vitest';
import { plainReason } from './plain-reason.js';

const STORED = '/srv/uniferum/store/ab/cd/abcd';
const MADE = join(tmpdir(), 'uniferum-source-1.png');

test.each([
  [
    `Input file has corrupt header: ${STORED}: bad seek to 1024\n${STORED}: bad seek to 7`,
    'bad seek to 1024',
  ],
  ['Input file has corrupt header', 'its header is broken'],
  ['Input buffer contains unsupported image format', "it isn't a picture of a known type"],
  ['Input image exceeds pixel limit', 'it has more pixels than are decoded'],
  [
    'Input file has corrupt header: VipsJpeg: JPEG datastream contains no image',
    'JPEG datastream contains no image',
  ],
  ['Input file has corrupt header: gifload: no frames in GIF', 'no frames in GIF'],
  ['svgload_buffer: bad dimensions', 'bad dimensions'],
  ['tiff2vips: samples out of range', 'samples out of range'],
  [
    'Input buffer has corrupt header: glib: XML parse error: Error domain 1 code 77 on line 2 column 1 of data: Premature end of data in tag svg line 1',
    'line 2, column 1: Premature end of data in tag svg line 1',
  ],
  ['it is overloaded: nothing is removed', 'it is overloaded: nothing is removed'],
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
