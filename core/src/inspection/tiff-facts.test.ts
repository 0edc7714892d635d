import { describe, expect, test } from 'vitest';
import { BytesInMemory } from './bytes.js';
import { readTiffFacts, type TiffFacts } from './tiff-facts.js';

const SHORT = 3;
const WIDTH = 256;
const HEIGHT = 257;
const BITS = 258;
const PHOTOMETRIC = 262;
const ORIENTATION = 274;
const SAMPLES = 277;
const EXTRA_SAMPLES = 338;
const SAMPLE_FORMAT = 339;

interface Shape {
  isBig?: boolean;
  isLittleEndian?: boolean;
  /** How many directories follow the first one; `loop` leads back to it. */
  further?: number | 'loop';
}

/** A TIFF of directories only. Source: TIFF 6.0, section 2; BigTIFF for the larger one. */
function tiff(
  fields: Record<number, number>,
  { isBig = false, isLittleEndian = true, further = 0 }: Shape = {},
): BytesInMemory {
  const [offsetBytes, countBytes, entryBytes] = isBig ? [8, 8, 20] : [4, 2, 12];
  const entries = Object.entries(fields).map(([tag, value]) => [Number(tag), value] as const);
  const first = isBig ? 16 : 8;
  const length = countBytes + entries.length * entryBytes + offsetBytes;
  const directories = 1 + (further === 'loop' ? 0 : further);
  const bytes = new Uint8Array(first + directories * length);
  const view = new DataView(bytes.buffer);
  const put = (at: number, size: number, value: number) => {
    if (size === 2) view.setUint16(at, value, isLittleEndian);
    else if (size === 4) view.setUint32(at, value, isLittleEndian);
    else view.setBigUint64(at, BigInt(value), isLittleEndian);
  };
  bytes.set([...(isLittleEndian ? 'II' : 'MM')].map((char) => char.charCodeAt(0)));
  put(2, 2, isBig ? 43 : 42);
  if (isBig) put(4, 2, 8);
  put(isBig ? 8 : 4, offsetBytes, first);
  for (let n = 0; n < directories; n += 1) {
    const at = first + n * length;
    put(at, countBytes, entries.length);
    for (const [index, [tag, value]] of entries.entries()) {
      const entry = at + countBytes + index * entryBytes;
      put(entry, 2, tag);
      put(entry + 2, 2, SHORT);
      put(entry + 4, offsetBytes, 1);
      put(entry + 4 + offsetBytes, 2, value);
    }
    const after = n + 1 < directories ? at + length : 0;
    put(at + length - offsetBytes, offsetBytes, further === 'loop' ? first : after);
  }
  return new BytesInMemory(bytes);
}

const SIZE = { [WIDTH]: 300, [HEIGHT]: 200 };
const facts = (fields: Record<number, number>, shape?: Shape) =>
  readTiffFacts(tiff({ ...SIZE, ...fields }, shape));

test.each<Shape>([{}, { isLittleEndian: false }, { isBig: true }, { isBig: true, isLittleEndian: false }])(
  'of a file like %j everything is read',
  (shape) => {
    const fields = { [BITS]: 16, [PHOTOMETRIC]: 2, [ORIENTATION]: 8 };
    expect(facts(fields, shape)).toEqual({
      width: 300,
      height: 200,
      orientation: 8,
      pages: 1,
      bitsPerChannel: 16,
      unusual: null,
      shownChannels: 1,
    });
  },
);

// Source: TIFF 6.0, section 8: the default of BitsPerSample is 1.
test('what is not stated has its default, and an orientation that is none is left out', () => {
  expect(facts({})).toMatchObject({ orientation: null, bitsPerChannel: 1, unusual: null });
  expect(facts({ [ORIENTATION]: 0 })?.orientation).toBeNull();
  expect(facts({ [ORIENTATION]: 1 })?.orientation).toBe(1);
  expect(facts({ [ORIENTATION]: 9 })?.orientation).toBeNull();
});

const [WHITE_IS_ZERO, GREY, RGB, PALETTE, CMYK, YCBCR, CIELAB] = [0, 1, 2, 3, 5, 6, 8];
const [UNSIGNED, SIGNED, FLOATING, UNDEFINED, COMPLEX_INTEGER, COMPLEX] = [1, 2, 3, 4, 5, 6];

// Source: TIFF 6.0, sections 19 and 23.
describe('unusual', () => {
  test.each<[string, number, number, number, TiffFacts['unusual']]>([
    ['bytes', 8, UNSIGNED, RGB, null],
    ['16 bits', 16, UNSIGNED, RGB, null],
    ['17 bits', 17, UNSIGNED, RGB, 'numbers'],
    ['32 bits', 32, UNSIGNED, GREY, 'numbers'],
    ['signed bytes', 8, SIGNED, RGB, 'measurements'],
    ['16 signed bits', 16, SIGNED, GREY, 'measurements'],
    ['bytes of no stated kind', 8, UNDEFINED, RGB, null],
    ['complex integers', 32, COMPLEX_INTEGER, GREY, 'measurements'],
    ['signed CIELAB', 16, SIGNED, CIELAB, null],
    ['complex numbers', 64, COMPLEX, GREY, 'measurements'],
    ['floating-point RGB', 32, FLOATING, RGB, null],
    ['half precision', 16, FLOATING, RGB, null],
    ['double precision', 64, FLOATING, RGB, 'numbers'],
    ['floating-point grey', 32, FLOATING, GREY, 'numbers'],
    ['bytes of CIELAB', 8, UNSIGNED, CIELAB, 'lab'],
    ['16 bits of CIELAB', 16, UNSIGNED, CIELAB, null],
  ])('%s', (_what, bits, format, photometric, unusual) => {
    const fields = { [BITS]: bits, [PHOTOMETRIC]: photometric, [SAMPLE_FORMAT]: format };
    expect(facts(fields)?.unusual).toBe(unusual);
  });
});

// Source: TIFF 6.0, section 18: 0 is unspecified data, 1 and 2 are transparency.
describe('further channels', () => {
  test.each<[number, number, number, TiffFacts['unusual'], number]>([
    [WHITE_IS_ZERO, 1, 0, null, 1],
    [GREY, 2, 2, null, 2],
    [GREY, 2, 0, 'channels', 1],
    [GREY, 3, 1, 'channels', 2],
    [RGB, 3, 0, null, 3],
    [RGB, 4, 1, null, 4],
    [RGB, 4, 2, null, 4],
    [RGB, 4, 0, 'channels', 3],
    [RGB, 4, 3, 'channels', 3],
    [RGB, 6, 2, 'channels', 4],
    [PALETTE, 1, 0, null, 1],
    [CMYK, 4, 0, null, 4],
    [CMYK, 5, 0, 'channels', 4],
    [CMYK, 5, 2, null, 5],
    [YCBCR, 3, 0, null, 3],
    [32844, 1, 0, null, 1],
  ])(
    'of interpretation %i with %i channels, the first extra one of kind %i',
    (photometric, samples, extra, unusual, shown) => {
      const fields = { [BITS]: 8, [PHOTOMETRIC]: photometric, [SAMPLES]: samples, [EXTRA_SAMPLES]: extra };
      expect(facts(fields)).toMatchObject({ unusual, shownChannels: shown });
    },
  );

  test('that nothing is said about are not shown', () => {
    expect(facts({ [BITS]: 8, [PHOTOMETRIC]: RGB, [SAMPLES]: 4 })).toMatchObject({
      unusual: 'channels',
      shownChannels: 3,
    });
  });
});

test('pages are counted, and a chain that leads back to itself ends', () => {
  expect(facts({}, { further: 2 })?.pages).toBe(3);
  expect(facts({}, { further: 'loop' })?.pages).toBe(1);
  expect(facts({}, { further: 2500 })?.pages).toBe(2000);
});

test('of many values only the first is read', () => {
  const file = tiff({ ...SIZE, [BITS]: 8 });
  const bytes = file.read(0, file.length).slice();
  const view = new DataView(bytes.buffer);
  // The third entry: 100,000 values from the beginning of a file that is much shorter.
  view.setUint32(8 + 2 + 2 * 12 + 4, 100_000, true);
  view.setUint32(8 + 2 + 2 * 12 + 8, 8, true);
  expect(readTiffFacts(new BytesInMemory(bytes))).toMatchObject({ width: 300, bitsPerChannel: 3 });
  view.setUint32(8 + 2 + 2 * 12 + 4, 0, true);
  expect(readTiffFacts(new BytesInMemory(bytes))).toMatchObject({ width: 300, bitsPerChannel: 1 });
});

describe('of a corrupt file nothing is known', () => {
  test.each([
    ['that is empty', new Uint8Array()],
    ['that is no TIFF', Uint8Array.from({ length: 40 }, (_, n) => n)],
    ['of another version', Uint8Array.from([0x49, 0x49, 44, 0, 8, 0, 0, 0, 0, 0])],
    ['whose directory lies behind its end', Uint8Array.from([0x49, 0x49, 42, 0, 99, 0, 0, 0])],
    ['whose directory never ends', Uint8Array.from([0x49, 0x49, 42, 0, 8, 0, 0, 0, 0xff, 0xff])],
  ])('%s', (_what, bytes) => {
    expect(readTiffFacts(new BytesInMemory(bytes))).toBeNull();
  });

  test('without a width, or a height', () => {
    expect(facts({ [WIDTH]: 0 })).toBeNull();
    expect(facts({ [HEIGHT]: 0 })).toBeNull();
    expect(facts({ [WIDTH]: 1, [HEIGHT]: 1 })).toMatchObject({ width: 1, height: 1 });
  });
});
