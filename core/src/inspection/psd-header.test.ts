import { expect, test } from 'vitest';
import { BytesInMemory } from './bytes.js';
import { readPsdHeader } from './psd-header.js';

/** 300 × 200 pixels of 16 bits. */
function header({ mode = 3, width = 300, height = 200, signature = '8BPS' } = {}): Uint8Array {
  const bytes = new Uint8Array(26);
  bytes.set([...signature].map((char) => char.charCodeAt(0)));
  const view = new DataView(bytes.buffer);
  view.setUint16(4, 1);
  view.setUint16(12, 4);
  view.setUint32(14, height);
  view.setUint32(18, width);
  view.setUint16(22, 16);
  view.setUint16(24, mode);
  return bytes;
}

const read = (bytes: Uint8Array) => readPsdHeader(new BytesInMemory(bytes));

test.each([
  [3, false],
  [4, false],
  [9, true],
])('of mode %i it is CIELAB: %s', (mode, isLab) => {
  expect(read(header({ mode }))).toEqual({ width: 300, height: 200, bitsPerChannel: 16, isLab });
});

test.each([
  ['nothing', new Uint8Array()],
  ['a header that ends early', header().subarray(0, 25)],
  ['another signature', header({ signature: '8BIM' })],
  ['no width', header({ width: 0 })],
  ['no height', header({ height: 0 })],
])('of %s nothing is known', (_what, bytes) => {
  expect(read(bytes)).toBeNull();
});

test('the smallest picture has a pixel', () => {
  expect(read(header({ width: 1, height: 1 }))).toMatchObject({ width: 1, height: 1 });
});
