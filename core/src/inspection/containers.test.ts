import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { ByteReader, BytesInMemory, concat, fromLatin1, latin1 } from './bytes.js';
import { cleanIsoMedia } from './clean-films.js';
import { cleanGif } from './clean-gif.js';
import type { KeptMetadata } from './clean-options.js';
import { cleanRiffMedia, cleanWebp } from './clean-riff.js';
import { applyPieces, Patches, type Piece, Splice } from './edits.js';
import { boxesOf } from './iso-boxes.js';
import { NO_RIGHTS } from './rights-blocks.js';

// Files of a few bytes, put together by hand from the published layouts, so that it is known which of them may come out.

const cleanOptions = (keep: KeptMetadata) => ({ keep, rights: NO_RIGHTS, orientation: null });
const carried = (bytes: Uint8Array, pieces: Piece[]) => applyPieces(new BytesInMemory(bytes), pieces);
const number = (value: number, length: number, isLittle = false) => {
  const bytes = Array.from({ length }, (_, n) => Math.floor(value / 256 ** (length - 1 - n)) & 255);
  return Uint8Array.from(isLittle ? bytes.reverse() : bytes);
};
const zeros = (length: number) => new Uint8Array(length);

/** Source: GIF89a, appendix A. */
describe('a GIF', () => {
  const head = (colours: number | null) =>
    concat([
      fromLatin1('GIF89a'),
      Uint8Array.of(1, 0, 1, 0, colours === null ? 0 : 0x80 | colours, 0, 0),
      zeros(colours === null ? 0 : 3 * 2 ** (colours + 1)),
    ]);
  const blocks = (...data: string[]) =>
    concat([...data.map((one) => concat([Uint8Array.of(one.length), fromLatin1(one)])), Uint8Array.of(0)]);
  const extension = (label: number, ...data: string[]) =>
    concat([Uint8Array.of(0x21, label), blocks(...data)]);
  const image = (colours: number | null) =>
    concat([
      Uint8Array.of(0x2c, 0, 0, 0, 0, 1, 0, 1, 0, colours === null ? 0 : 0x80 | colours),
      zeros(colours === null ? 0 : 3 * 2 ** (colours + 1)),
      Uint8Array.of(2),
      blocks('ab', 'c'),
    ]);
  const end = Uint8Array.of(0x3b);
  const clean = (keep: KeptMetadata, ...parts: Uint8Array[]) => {
    const data = concat(parts);
    return carried(data, cleanGif(new BytesInMemory(data), cleanOptions(keep)));
  };

  test.each([null, 0, 3])('with the colours %s of its own and of its frames is kept whole', (colours) => {
    const parts = [head(colours), extension(0xf9, 'ctrl'), image(colours), image(null), image(1), end];
    expect(clean('none', ...parts)).toEqual(concat(parts));
  });

  test('keeps its loop and its profile, and no other application, comment or what follows its end', () => {
    const loop = extension(0xff, 'NETSCAPE2.0', '\u0001\u0000\u0000');
    const profile = extension(0xff, 'ICCRGBG1012', 'p');
    const text = extension(0x01, 'x'.repeat(12), 'text');
    const told = [
      extension(0xfe, 'secret'),
      extension(0xff, 'XMP DataXMP', 'secret'),
      extension(0xff, 'NETSCAPE2.', 'secret'),
    ];
    told.push(extension(0x42, 'NETSCAPE2.0', 'secret'), extension(0xff, 'NETSCAPE2.0x', 'secret'));
    const odd = extension(0x42, 'secret');
    const kept = [head(null), loop, profile, text, image(null), end];
    expect(
      clean('none', head(null), ...told, loop, odd, profile, text, image(null), end, fromLatin1('secret')),
    ).toEqual(concat(kept));
    expect(clean('rights', head(null), ...told, loop, profile, text, image(null), end)).toEqual(concat(kept));
  });

  test('keeps its comments where all but pictures stays', () => {
    const parts = [head(null), extension(0xfe, 'by Edda'), image(null), end];
    expect(clean('all-but-pictures', ...parts)).toEqual(concat(parts));
  });

  test('that broke off is shown as far as it goes, and one with a broken block is not cleaned', () => {
    const whole = concat([head(null), image(null)]);
    expect(clean('none', whole)).toEqual(whole);
    expect(clean('none', whole.subarray(0, whole.length - 3))).toEqual(whole.subarray(0, whole.length - 3));
    expect(() => clean('none', head(null), Uint8Array.of(7))).toThrow('a block of it is broken');
    expect(() => clean('none', fromLatin1('GIF88a'), zeros(20))).toThrow('does not begin like a GIF');
  });
});

/** Source: Multimedia Programming Interface 1.0, chapter 2: chunks begin at even places. */
describe('a RIFF file', () => {
  const chunk = (id: string, data: Uint8Array | string) => {
    const bytes = typeof data === 'string' ? fromLatin1(data) : data;
    return concat([fromLatin1(id), number(bytes.length, 4, true), bytes, zeros(bytes.length % 2)]);
  };
  const list = (type: string, ...parts: Uint8Array[]) => chunk('LIST', concat([fromLatin1(type), ...parts]));
  const riff = (type: string, ...parts: Uint8Array[]) => chunk('RIFF', concat([fromLatin1(type), ...parts]));
  const clean = (keep: KeptMetadata, data: Uint8Array) => {
    const cleaned = carried(data, cleanRiffMedia(new BytesInMemory(data), cleanOptions(keep)));
    expect(cleaned.length).toBe(data.length);
    return latin1(cleaned);
  };

  test('keeps what is played, and makes padding of the rest', () => {
    const out = clean(
      'none',
      riff(
        'WAVE',
        chunk('fmt ', 'form'),
        chunk('bext', 'secret'),
        chunk('odd ', 'sec'),
        chunk('data', 'sound'),
      ),
    );
    expect(out).toContain('fmt \u0004\u0000\u0000\u0000form');
    expect(out).toContain('data\u0005\u0000\u0000\u0000sound');
    expect(out).not.toContain('sec');
    expect(out.match(/JUNK/g)).toHaveLength(2);
  });

  test('its lists are cleaned inside, and those of texts go', () => {
    const film = (keep: KeptMetadata) =>
      clean(
        keep,
        riff(
          'AVI ',
          list(
            'hdrl',
            chunk('avih', 'head'),
            chunk('told', 'secret'),
            list('strl', chunk('strf', 'form'), chunk('strn', 'secret')),
          ),
          list('INFO', chunk('IART', 'Edda'), chunk('ISFT', 'secret')),
          list('movi', chunk('00dc', 'secret frames')),
        ),
      );
    for (const keep of ['none', 'rights'] as const) {
      const out = film(keep);
      expect(out).toContain('head');
      expect(out).toContain('form');
      expect(out).toContain('secret frames');
      expect(out.replace('secret frames', '')).not.toContain('secret');
      expect(out.includes('Edda')).toBe(keep === 'rights');
    }
  });

  test('what follows its end goes, also when another begins there', () => {
    const [first, second] = [
      riff('AVI ', chunk('avih', 'head')),
      riff('AVIX', chunk('told', 'secret'), chunk('idx1', 'index')),
    ];
    const out = clean('none', concat([first, second, fromLatin1('secret behind')]));
    expect(out).toContain('index');
    expect(out).not.toContain('secret');
  });

  test('only a list is one, whatever a chunk begins with, and an empty one stays', () => {
    const out = clean('rights', riff('AVI ', chunk('told', 'hdrlavih\u0004\0\0\0head'), list('hdrl')));
    expect(out).not.toContain('avih');
    expect(out).toContain('LIST\u0004\0\0\0hdrl');
    const texts = riff('AVI ', chunk('told', concat([fromLatin1('INFO'), chunk('IART', 'Edda')])));
    expect(clean('rights', texts)).not.toContain('Edda');
  });

  test('a list without a type is no list, whatever follows it', () => {
    const out = clean('none', riff('AVI ', chunk('LIST', ''), chunk('movi', 'secret')));
    expect(out).not.toMatch(/LIST|secret/);
  });

  test('a list without a type is no list, and one in itself too deep is refused', () => {
    expect(clean('none', riff('AVI ', chunk('LIST', 'hdr')))).toContain('JUNK');
    let nested = chunk('avih', 'head');
    for (let depth = 0; depth < 6; depth += 1) nested = list('hdrl', nested);
    expect(clean('none', riff('AVI ', nested))).toContain('head');
    expect(() => clean('none', riff('AVI ', list('hdrl', nested)))).toThrow('too deep');
    let told = list('INFO', chunk('IART', 'Edda'));
    for (let depth = 0; depth < 6; depth += 1) told = list('INFO', told);
    expect(() => clean('rights', riff('AVI ', told))).toThrow('too deep');
  });

  test('one that does not begin like one is refused', () => {
    expect(() => clean('none', fromLatin1('RIFX\u0004\u0000\u0000\u0000AVI '))).toThrow(
      'does not begin like a RIFF file',
    );
    for (const begin of ['RIFFxxxxWEBX', 'RIFXxxxxWEBP'])
      expect(() =>
        cleanWebp(new BytesInMemory(fromLatin1(`${begin}........`)), cleanOptions('none')),
      ).toThrow('does not begin like a WebP');
  });

  test('a WebP keeps its pictures to an odd byte, and its size follows', () => {
    const data = riff('WEBP', chunk('VP8 ', 'abc'), chunk('EXIF', 'secret'), chunk('ICCP', 'profile'));
    expect(carried(data, cleanWebp(new BytesInMemory(data), cleanOptions('none')))).toEqual(
      riff('WEBP', chunk('VP8 ', 'abc'), chunk('ICCP', 'profile')),
    );
  });
});

/** Source: ISO/IEC 14496-12, 4.2 and 8.7. */
describe('an ISO film', () => {
  const box = (type: string, ...data: Uint8Array[]) => {
    const bytes = concat(data);
    return concat([number(bytes.length + 8, 4), fromLatin1(type), bytes]);
  };
  const full = (type: string, ...values: number[]) =>
    box(type, zeros(4), ...values.map((value) => number(value, 4)));

  /** A film whose samples lie in `mdat` at once behind `ftyp`. */
  function film({
    handler,
    samples,
    sizes,
    chunks,
    runs,
    isWide = false,
  }: {
    handler: string;
    samples: string;
    /** One size for all, or one for each. */
    sizes: number | number[];
    /** Where each chunk begins within the samples. */
    chunks: number[];
    /** First chunk, samples in each chunk, description. */
    runs: [number, number, number][];
    isWide?: boolean;
  }) {
    const begin = box('ftyp', fromLatin1('isom'));
    const base = begin.length + 8;
    const table = box(
      'stbl',
      typeof sizes === 'number'
        ? full('stsz', sizes, samples.length / sizes)
        : full('stsz', 0, sizes.length, ...sizes),
      full('stsc', runs.length, ...runs.flat()),
      isWide
        ? box('co64', zeros(4), number(chunks.length, 4), ...chunks.map((at) => number(base + at, 8)))
        : full('stco', chunks.length, ...chunks.map((at) => base + at)),
    );
    const media = box(
      'mdia',
      full('mdhd', 1, 2, 3, 4),
      box('hdlr', zeros(8), fromLatin1(handler), zeros(12)),
      box('minf', table),
    );
    return concat([
      begin,
      box('mdat', fromLatin1(samples)),
      box('moov', full('mvhd', 1, 2, 3, 4), box('trak', media)),
    ]);
  }
  const clean = (data: Uint8Array, keep: KeptMetadata = 'rights') => {
    const cleaned = carried(data, cleanIsoMedia(new BytesInMemory(data), cleanOptions(keep)));
    expect(cleaned.length).toBe(data.length);
    return latin1(cleaned);
  };
  const at = (out: string, length: number) => out.slice(20, 20 + length).replaceAll('\u0000', '.');

  test('of pictures keeps its samples', () => {
    const data = film({ handler: 'vide', samples: 'aabbcc', sizes: 2, chunks: [0], runs: [[1, 3, 1]] });
    expect(clean(data)).toBe(latin1(data));
  });

  test.each(['meta', 'mdta', 'camm'])(
    'loses the samples of a track of "%s", wherever they lie',
    (handler) => {
      const track = {
        handler,
        samples: 'aabbxxccddyyee',
        chunks: [0, 6, 12],
        runs: [
          [1, 2, 1],
          [3, 1, 1],
        ] as [number, number, number][],
      };
      for (const sizes of [2, [2, 2, 2, 2, 2]])
        for (const isWide of [false, true]) {
          const out = clean(film({ ...track, sizes: sizes === 2 ? [2, 2, 2, 2, 2] : sizes, isWide }));
          expect(at(out, 14)).toBe('....xx....yy..');
          expect(out).not.toContain('trak');
        }
    },
  );

  test('loses samples of one size, and of no more than there are', () => {
    expect(
      at(clean(film({ handler: 'meta', samples: 'aabbcc', sizes: 2, chunks: [0], runs: [[1, 99, 1]] })), 6),
    ).toBe('......');
    expect(
      at(
        clean(film({ handler: 'meta', samples: 'aaabbc', sizes: [3, 2, 1], chunks: [0], runs: [[1, 2, 1]] })),
        6,
      ),
    ).toBe('.....c');
  });

  test('chunks that touch and chunks in any order are all cleared', () => {
    const track = { handler: 'meta', samples: 'abcdefgh', sizes: [1, 1, 1, 1] };
    expect(at(clean(film({ ...track, chunks: [0, 1, 4, 5], runs: [[1, 1, 1]] })), 8)).toBe('..cd..gh');
    expect(at(clean(film({ ...track, chunks: [6, 0, 3, 1], runs: [[1, 1, 1]] })), 8)).toBe('..c.ef.h');
  });

  test('chunks of as many samples as their run says are cleared, and the last run goes on', () => {
    const track = { handler: 'meta', samples: 'axbbyczdd', sizes: [1, 1, 1, 1, 2], chunks: [0, 2, 5, 7] };
    const runs = (...all: [number, number, number][]) => at(clean(film({ ...track, runs: all })), 9);
    expect(runs([1, 1, 1], [2, 2, 1], [3, 1, 1])).toBe('.x..y.z..');
    expect(runs([1, 1, 1], [2, 2, 1])).toBe('.x..y...d');
    expect(runs([1, 1, 1])).toBe('.x.by.z.d');
  });

  test('that states more samples than any has is refused', () => {
    for (const [type, behind] of [
      ['stsz', 12],
      ['stsc', 8],
      ['stco', 8],
    ] as const) {
      const data = film({ handler: 'meta', samples: 'ab', sizes: [1, 1], chunks: [0], runs: [[1, 2, 1]] });
      data.fill(0xff, latin1(data).indexOf(type) + behind, latin1(data).indexOf(type) + behind + 4);
      expect(() => clean(data)).toThrow('too many samples');
    }
  });

  test('loses its times only where nothing is kept', () => {
    const data = film({ handler: 'vide', samples: 'aa', sizes: 2, chunks: [0], runs: [[1, 1, 1]] });
    const times = '\u0000\u0000\u0000\u0001\u0000\u0000\u0000\u0002\u0000\u0000\u0000\u0003';
    expect(clean(data).split(times)).toHaveLength(3);
    expect(clean(data, 'none').split(times)).toHaveLength(1);
    expect(clean(data, 'none')).toBe(latin1(data).replaceAll(times, `${'\0'.repeat(8)}${times.slice(8)}`));
    expect(clean(data, 'none').split('\u0000\u0000\u0000\u0003\u0000\u0000\u0000\u0004')).toHaveLength(3);
  });

  test('of version 1 loses its times of 64 bits', () => {
    const times = concat([number(1, 8), number(2, 8), number(3, 4), number(4, 8)]);
    const header = box('mvhd', Uint8Array.of(1, 0, 0, 0), times);
    const out = clean(concat([box('ftyp', fromLatin1('isom')), box('moov', header)]), 'none');
    expect(out.endsWith(`${'\0'.repeat(16)}${latin1(times.subarray(16))}`)).toBe(true);
  });

  test('boxes are read to the end, long ones too, and broken ones are said', () => {
    const read = (data: Uint8Array) =>
      [...boxesOf(new ByteReader(new BytesInMemory(data)), 0, data.length)].map(({ type, dataAt, end }) => [
        type,
        dataAt,
        end,
      ]);
    const long = concat([number(1, 4), fromLatin1('long'), number(20, 8), zeros(4)]);
    const open = concat([number(0, 4), fromLatin1('open'), zeros(5)]);
    expect(read(concat([box('one '), long, open]))).toEqual([
      ['one ', 8, 8],
      ['long', 24, 28],
      ['open', 36, 41],
    ]);
    expect(() => read(concat([number(7, 4), fromLatin1('less'), zeros(8)]))).toThrow(
      'the box at byte 0 is broken',
    );
    expect(() => read(concat([number(17, 4), fromLatin1('more'), zeros(8)]))).toThrow('broken');
    expect(() => read(concat([number(1, 4), fromLatin1('long'), number(15, 8)]))).toThrow('broken');
    expect(read(concat([box('one '), zeros(7)]))).toHaveLength(1);
  });
});

describe('edits', () => {
  test('writes in any order, and clears that overlap each other and them, are what they are one by one', () => {
    const span = fc.tuple(fc.nat(70), fc.integer({ min: 1, max: 9 }));
    fc.assert(
      fc.property(
        fc.uniqueArray(fc.nat(13), { maxLength: 8 }),
        fc.array(span, { maxLength: 8 }),
        (slots, clears) => {
          const data = Uint8Array.from({ length: 64 }, (_, n) => n + 1);
          const patches = new Patches();
          const expected = data.slice();
          for (const [from, length] of clears) {
            patches.clear(from, from + length);
            expected.fill(0, Math.min(64, from), Math.min(64, from + length));
          }
          for (const slot of slots) {
            // Slots of five bytes, of which up to four are written: none overlap, and some touch.
            const bytes = Uint8Array.from({ length: 1 + (slot % 5) }, (_, n) => 200 + n);
            patches.write(slot * 5, bytes);
            expected.set(bytes.subarray(0, Math.max(0, 64 - slot * 5)), Math.min(64, slot * 5));
          }
          expect(carried(data, patches.toPieces(64))).toEqual(expected);
        },
      ),
      { numRuns: 500 },
    );
  });

  test('ranges that touch are one piece, and nothing is none', () => {
    const splice = new Splice();
    splice.keep(0, 4);
    splice.keep(4, 4);
    splice.keep(4, 9);
    splice.put(Uint8Array.of());
    splice.put(Uint8Array.of(1));
    splice.keep(9, 10);
    splice.keep(12, 13);
    expect(splice.pieces).toEqual([
      { from: 0, to: 9 },
      { bytes: Uint8Array.of(1) },
      { from: 9, to: 10 },
      { from: 12, to: 13 },
    ]);
  });
});

test('a file is cut into 100,000 pieces at most', () => {
  const splice = new Splice();
  for (let n = 0; n < 100_000; n += 1) splice.put(Uint8Array.of(1));
  expect(() => splice.put(Uint8Array.of(1))).toThrow('it is cut into too many pieces');
  const patches = new Patches();
  for (let n = 0; n < 50_000; n += 1) patches.write(n, Uint8Array.of(1));
  for (let n = 0; n < 50_000; n += 1) patches.clear(n, n + 1);
  expect(() => patches.clear(0, 1)).toThrow('it has too many parts with metadata');
  expect(() => patches.write(0, Uint8Array.of(1))).toThrow('it has too many parts with metadata');
});

test('bytes are read within their range', () => {
  const source = new BytesInMemory(Uint8Array.of(1, 2, 3));
  expect([source.read(3, 0), source.read(1, 2)]).toEqual([Uint8Array.of(), Uint8Array.of(2, 3)]);
  for (const [offset, length] of [
    [-1, 2],
    [2, -1],
    [2, 2],
    [Number.NaN, 1],
  ] as const)
    expect(() => source.read(offset, length)).toThrow(RangeError);
});

describe('numbers and codes', () => {
  const bytes = Uint8Array.from([0x01, 0x02, 0x03, 0x04, 0x05, 0x06, 0x07, 0x08]);

  test('are read in either order', () => {
    const big = new ByteReader(new BytesInMemory(bytes));
    const little = new ByteReader(new BytesInMemory(bytes), { littleEndian: true });
    expect([0, 1, 2, 4].map((size) => big.uint(1, size))).toEqual([0, 2, 0x0203, 0x02030405]);
    expect([0, 1, 2, 4].map((size) => little.uint(1, size))).toEqual([0, 2, 0x0302, 0x05040302]);
    expect(() => big.u64(0)).toThrow('a size that no file has');
    const u64 = (high: number, low: number) =>
      new ByteReader(new BytesInMemory(concat([number(high, 4), number(low, 4)]))).u64(0);
    expect(u64(0x1fffff, 0xffffffff)).toBe(Number.MAX_SAFE_INTEGER);
    expect(() => u64(0x200000, 0)).toThrow('a size that no file has');
    expect(new ByteReader(new BytesInMemory(number(2 ** 40, 8))).uint(0, 8)).toBe(2 ** 40);
    expect(() => big.u32(5)).toThrow('it ends before byte 9');
    expect(() => big.bytes(-1, 2)).toThrow(RangeError);
    expect(big.code(0, 2)).toBe('\u0001\u0002');
  });

  test('of a large file are read wherever they lie', () => {
    const large = Uint8Array.from({ length: 200_000 }, (_, n) => n % 251);
    const reader = new ByteReader(new BytesInMemory(large));
    for (const offset of [0, 65_534, 65_536, 10, 199_998, 131_072, 3])
      expect(reader.u16(offset), String(offset)).toBe((large[offset] ?? 0) * 256 + (large[offset + 1] ?? 0));
    expect(reader.bytes(5, 100_000)).toEqual(large.subarray(5, 100_005));
  });
});
