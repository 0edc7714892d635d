import { describe, expect, test } from 'vitest';
import { BytesInMemory, concat, fromLatin1, latin1 } from './bytes.js';
import { cleanIsoPicture } from './clean-iso-pictures.js';
import type { CleanOptions, KeptMetadata } from './clean-options.js';
import { cleanPng, crc32 } from './clean-png.js';
import { cleanRiffMedia, cleanWebp } from './clean-riff.js';
import { cleanTiff, exifWithoutPictures, rulesForTiff } from './clean-tiff.js';
import { applyPieces, type Piece } from './edits.js';
import { NO_RIGHTS, writeExif, writeXmp } from './rights-blocks.js';

// The blocks in which a picture carries its metadata, at the limits of their sizes, built by hand from the published layouts.

const MAX_METADATA_BYTES = 16_000_000;
const cleanOptions = (keep: KeptMetadata): CleanOptions => ({ keep, rights: NO_RIGHTS, orientation: null });
const cleanWith = (clean: (source: BytesInMemory, options: CleanOptions) => Piece[]) => {
  return (data: Uint8Array, keep: KeptMetadata = 'all-but-pictures') => {
    const source = new BytesInMemory(data);
    return applyPieces(source, clean(source, cleanOptions(keep)));
  };
};
const number = (value: number, length: number, isLittle = false) => {
  const bytes = Array.from({ length }, (_, n) => Math.floor(value / 256 ** (length - 1 - n)) & 255);
  return Uint8Array.from(isLittle ? bytes.reverse() : bytes);
};
const zeros = (length: number) => new Uint8Array(length);
/** Exif that says who made the picture. */
const EXIF = writeExif({ orientation: 6, rights: { ...NO_RIGHTS, artist: 'Edda Lorn' } }) as Uint8Array;
/** XMP with a base64 picture between tags. */
const xmpWith = (picture: string) => fromLatin1(`<x:by>Edda Lorn</x:by><x:picture>${picture}</x:picture>`);
const PICTURE = 'iVBORw0KGgo='.repeat(20);
const XMP = xmpWith(PICTURE);
const XMP_BLANKED = xmpWith(' '.repeat(PICTURE.length));

/** Source: RFC 9649, section 2.7. */
describe('the metadata of a WebP', () => {
  const chunk = (id: string, data: Uint8Array) =>
    concat([fromLatin1(id), number(data.length, 4, true), data, zeros(data.length % 2)]);
  const webp = (...parts: Uint8Array[]) => chunk('RIFF', concat([fromLatin1('WEBP'), ...parts]));
  const extended = (flags: number) => chunk('VP8X', concat([Uint8Array.of(flags), zeros(9)]));
  const picture = chunk('VP8 ', fromLatin1('abcd'));
  const clean = cleanWith(cleanWebp);

  test('comes out without its pictures, and is announced', () => {
    expect(clean(webp(extended(0x0c), picture, chunk('EXIF', EXIF), chunk('XMP ', XMP)))).toEqual(
      webp(extended(0x0c), picture, chunk('EXIF', EXIF), chunk('XMP ', XMP_BLANKED)),
    );
  });

  test('comes out without the header of a JPEG segment that some programs write before Exif', () => {
    const prefixed = concat([fromLatin1('Exif\0\0'), EXIF]);
    expect(clean(webp(extended(0x08), picture, chunk('EXIF', prefixed)))).toEqual(
      webp(extended(0x08), picture, chunk('EXIF', EXIF)),
    );
  });

  test('that is missing or unreadable is not announced', () => {
    const without = webp(extended(0), picture);
    expect(clean(webp(extended(0x0c), picture))).toEqual(without);
    expect(clean(webp(extended(0x0c), picture, chunk('EXIF', fromLatin1('no TIFF'))))).toEqual(without);
    expect(clean(webp(extended(0x04), picture, chunk('XMP ', XMP)))).toEqual(
      webp(extended(0x04), picture, chunk('XMP ', XMP_BLANKED)),
    );
  });

  test('is kept up to its limit, and dropped beyond', () => {
    const text = (length: number) => zeros(length).fill(0x20);
    const most = webp(extended(0x04), picture, chunk('XMP ', text(MAX_METADATA_BYTES)));
    expect(Buffer.compare(clean(most), most)).toBe(0);
    expect(clean(webp(extended(0x04), picture, chunk('XMP ', text(MAX_METADATA_BYTES + 1))))).toEqual(
      webp(extended(0), picture),
    );
  });

  test('needs the extended form', () => {
    expect(clean(webp(picture, chunk('EXIF', EXIF)))).toEqual(webp(picture));
  });
});

/** Source: EBU Tech 3306, 5: RF64. */
test('a sound of more than 4 GB is cleaned to the end of the file, whatever size its head states', () => {
  const chunk = (id: string, text: string) =>
    concat([fromLatin1(id), number(text.length, 4, true), fromLatin1(text)]);
  const sound = (id: string, size: number) =>
    concat([
      fromLatin1(id),
      number(size, 4, true),
      fromLatin1('WAVE'),
      chunk('fmt ', 'form'),
      chunk('bext', 'secret'),
      chunk('data', 'some'),
    ]);
  const clean = cleanWith(cleanRiffMedia);
  const out = latin1(clean(sound('RF64', 0xffffffff), 'none'));
  expect(out).toContain('some');
  expect(out).not.toContain('secret');
  expect(latin1(clean(sound('RF64', 4), 'none'))).toContain('some');
  for (const id of ['RIFX', 'aRIF', 'RIF ']) expect(() => clean(sound(id, 4), 'none')).toThrow('RIFF file');
});

/** Source: PNG, third edition, clauses 5 and 11. */
describe('the metadata of a PNG', () => {
  const chunk = (type: string, data: Uint8Array) => {
    const body = concat([fromLatin1(type), data]);
    return concat([number(data.length, 4), body, number(crc32(body), 4)]);
  };
  const signature = Uint8Array.of(0x89, 0x50, 0x4e, 0x47, 0x0d, 0x0a, 0x1a, 0x0a);
  const png = (...parts: Uint8Array[]) =>
    concat([signature, chunk('IHDR', zeros(13)), ...parts, chunk('IEND', zeros(0))]);
  const clean = cleanWith(cleanPng);

  test('comes out whole with its dates, texts and empty chunks, and without its pictures', () => {
    const xmp = (packet: Uint8Array) =>
      chunk('iTXt', concat([fromLatin1('XML:com.adobe.xmp\0\0\0\0\0'), packet]));
    const kept = [
      chunk('tIME', zeros(7)),
      chunk('tEXt', fromLatin1('Author\0Edda Lorn')),
      chunk('iTXt', fromLatin1('Author\0\0\0\0\0Edda Lorn')),
      chunk('tEXt', zeros(0)),
      chunk('eXIf', EXIF),
    ];
    const data = png(...kept, xmp(XMP), chunk('tEXt', fromLatin1('Raw profile type exif\0')));
    expect(clean(data)).toEqual(png(...kept, xmp(XMP_BLANKED)));
  });

  test('that is compressed, unreadable or unknown is dropped', () => {
    const compressed = chunk('iTXt', concat([fromLatin1('XML:com.adobe.xmp\0\x01\0\0\0'), XMP]));
    const broken = chunk('eXIf', fromLatin1('no TIFF'));
    expect(clean(png(compressed, broken, chunk('prIV', zeros(3))))).toEqual(png());
  });

  test('is kept up to its limit, and dropped beyond', () => {
    const most = png(chunk('tEXt', zeros(MAX_METADATA_BYTES).fill(0x41)));
    expect(Buffer.compare(clean(most), most)).toBe(0);
    expect(clean(png(chunk('tEXt', zeros(MAX_METADATA_BYTES + 1).fill(0x41))))).toEqual(png());
  });

  test('behind the end is dropped, and a picture that is cut off in the head of a chunk is kept to there', () => {
    const data = chunk('IDAT', fromLatin1('coded'));
    expect(clean(concat([png(data), data]), 'none')).toEqual(png(data));
    const cut = concat([signature, chunk('IHDR', zeros(13)), data.subarray(0, 8)]);
    expect(clean(cut, 'none')).toEqual(cut);
  });

  test('that is cut off is dropped, whatever length it states', () => {
    const begun = concat([signature, chunk('IHDR', zeros(13))]);
    const text = chunk('tEXt', fromLatin1('Author\0Edda Lorn'));
    for (const length of [8, 11, 12, 20]) {
      const cut = clean(concat([begun, text.subarray(0, length)]));
      expect(latin1(cut.subarray(0, begun.length)), String(length)).toBe(latin1(begun));
      expect(latin1(cut)).not.toContain('Edda Lorn');
    }
  });
});

/** Source: ISO/IEC 23008-12 and 14496-12, 8.11. */
describe('the metadata of a HEIF', () => {
  const box = (type: string, ...data: Uint8Array[]) => {
    const bytes = concat(data);
    return concat([number(bytes.length + 8, 4), fromLatin1(type), bytes]);
  };
  const info = (id: number, type: string, rest = '') =>
    box('infe', Uint8Array.of(2, 0, 0, 0), number(id, 2), number(0, 2), fromLatin1(`${type}\0${rest}`));
  /** Each item is one string of bytes in `mdat`, which comes first so that its place doesn't depend on the items. */
  function heif(...items: { type: string; rest?: string; data: Uint8Array }[]) {
    const begin = box('ftyp', fromLatin1('heic'));
    let at = begin.length + 8;
    const locations = items.map(({ data }, index) => {
      const location = concat([
        number(index + 1, 2),
        number(0, 2),
        number(1, 2),
        number(at, 4),
        number(data.length, 4),
      ]);
      at += data.length;
      return location;
    });
    return concat([
      begin,
      box('mdat', ...items.map(({ data }) => data)),
      box(
        'meta',
        zeros(4),
        box(
          'iinf',
          zeros(4),
          number(items.length, 2),
          ...items.map(({ type, rest }, n) => info(n + 1, type, rest)),
        ),
        box('iloc', zeros(4), Uint8Array.of(0x44, 0), number(items.length, 2), ...locations),
      ),
    ]);
  }
  const clean = cleanWith(cleanIsoPicture);
  const dataOf = (file: Uint8Array, length: number) => file.subarray(20, 20 + length);
  const XMP_REST = 'application/rdf+xml\0';
  /** What an item holds whose Exif can't be read: no entries. */
  const EMPTY_EXIF = concat([zeros(4), fromLatin1('II*\0\x08\0\0\0'), zeros(6)]);

  test('comes out without its pictures, and the picture as it is', () => {
    const items = [
      { type: 'hvc1', data: fromLatin1('coded') },
      { type: 'Exif', data: concat([zeros(4), EXIF]) },
      { type: 'mime', rest: XMP_REST, data: XMP },
      { type: 'mime', rest: 'text/plain\0', data: fromLatin1('secret') },
      { type: 'uri ', data: fromLatin1('secret') },
    ];
    const out = clean(heif(...items));
    expect(latin1(out)).toContain('coded');
    expect(latin1(out)).not.toContain('secret');
    const whole = concat([fromLatin1('coded'), zeros(4), EXIF, XMP_BLANKED]);
    expect(dataOf(out, whole.length)).toEqual(whole);
  });

  test('is found at the offset that the item states', () => {
    const data = concat([number(6, 4), fromLatin1('Exif\0\0'), EXIF]);
    const out = dataOf(clean(heif({ type: 'Exif', data })), data.length);
    expect(out).toEqual(concat([zeros(4), EXIF, zeros(6)]));
  });

  test.each([
    ['shorter than its offset', zeros(3)],
    ['of an offset only', zeros(4)],
    ['with an offset at its end', concat([number(16, 4), zeros(16)])],
    ['with an offset beyond its end', concat([number(99, 4), EXIF])],
    ['that is no TIFF', concat([zeros(4), fromLatin1('secret secret secret secret')])],
  ])('%s is emptied', (_, data) => {
    const file = heif({ type: 'Exif', data });
    const cleaned = clean(file);
    expect(cleaned.subarray(20 + data.length)).toEqual(file.subarray(20 + data.length));
    const out = dataOf(cleaned, data.length);
    const empty =
      data.length < EMPTY_EXIF.length
        ? zeros(data.length)
        : concat([EMPTY_EXIF, zeros(data.length - EMPTY_EXIF.length)]);
    expect(out).toEqual(empty);
  });

  /** A file whose one item of unknown text is located in the given way; `idat` comes last. */
  function located(
    version: number,
    {
      sizes,
      method = 0,
      base,
      extents,
    }: { sizes: number[]; method?: number; base: number; extents: number[][] },
  ) {
    const [offset = 0, length = 0, baseBytes = 0, index = 0] = sizes;
    const wide = version < 2 ? 2 : 4;
    const location = concat([
      ...[
        number(1, wide),
        ...(version > 0 ? [number(method, 2)] : []),
        number(0, 2),
        number(base, baseBytes),
      ],
      number(extents.length, 2),
      ...extents.map(([from = 0, bytes = 0]) =>
        concat([number(9, version > 0 ? index : 0), number(from, offset), number(bytes, length)]),
      ),
    ]);
    const packed = Uint8Array.of((offset << 4) | length, (baseBytes << 4) | index);
    return concat([
      box('ftyp', fromLatin1('heic')),
      box('mdat', fromLatin1('..secret..secret..')),
      box(
        'meta',
        zeros(4),
        box('iinf', zeros(4), number(1, 2), info(1, 'mime', 'text/plain\0')),
        box('iloc', Uint8Array.of(version, 0, 0, 0), packed, number(1, wide), location),
        box('idat', fromLatin1('..secret..')),
      ),
    ]);
  }
  /** What is left of the texts in `mdat` and `idat`. */
  const left = (file: Uint8Array) => {
    const out = latin1(clean(file)).replaceAll('\0', '-');
    return [out.slice(20, 38), out.slice(-10)];
  };

  test.each([
    [
      'by offsets',
      0,
      { sizes: [4, 4, 0, 0], base: 0, extents: [[22, 6]] },
      '..------..secret..',
      '..secret..',
    ],
    [
      'from a base',
      0,
      { sizes: [4, 4, 4, 0], base: 20, extents: [[2, 6]] },
      '..------..secret..',
      '..secret..',
    ],
    [
      'in two extents with indexes',
      1,
      {
        sizes: [8, 4, 0, 4],
        base: 0,
        extents: [
          [22, 6],
          [30, 6],
        ],
      },
      '..------..------..',
      '..secret..',
    ],
    [
      'with wide numbers',
      2,
      { sizes: [4, 4, 8, 0], base: 20, extents: [[10, 6]] },
      '..secret..------..',
      '..secret..',
    ],
    [
      'in its own box',
      1,
      { sizes: [4, 4, 0, 0], method: 1, base: 0, extents: [[2, 6]] },
      '..secret..secret..',
      '..------..',
    ],
    [
      'in another item',
      1,
      { sizes: [4, 4, 0, 0], method: 2, base: 0, extents: [[22, 6]] },
      '..secret..secret..',
      '..secret..',
    ],
    [
      'beyond the end',
      0,
      { sizes: [4, 4, 0, 0], base: 0, extents: [[22, 60_000]] },
      '..secret..secret..',
      '..secret..',
    ],
  ])('that is located %s is cleared there, and nowhere else', (_, version, how, inMdat, inIdat) => {
    expect(left(located(version, how))).toEqual([inMdat, inIdat]);
  });

  test('to the end of the file goes to its last byte', () => {
    const file = located(0, { sizes: [4, 4, 0, 0], base: 0, extents: [[22, 0]] });
    const last = located(0, { sizes: [4, 4, 0, 0], base: 0, extents: [[22, file.length - 22]] });
    for (const one of [file, last]) expect(latin1(clean(one).subarray(22))).toMatch(/^\0+$/);
  });

  /** A file with one string of bytes as item 1, said to be metadata in the given box, which is its last. */
  function announced(infos: Uint8Array, version = 0) {
    const wide = version < 2 ? 2 : 4;
    const location = concat([
      number(1, wide),
      zeros(version > 0 ? 4 : 2),
      number(1, 2),
      number(20, 4),
      number(6, 4),
    ]);
    const head = [Uint8Array.of(version, 0, 0, 0), Uint8Array.of(0x44, 0), number(1, wide)];
    return concat([
      box('ftyp', fromLatin1('heic')),
      box('mdat', fromLatin1('secret')),
      box('meta', zeros(4), box('iloc', ...head, location), infos),
    ]);
  }
  const infoOf = (version: number, ...rest: Uint8Array[]) =>
    box('infe', Uint8Array.of(version, 0, 0, 0), ...rest);
  const URI = fromLatin1('uri \0');
  const list = (version: number, ...infos: Uint8Array[]) =>
    box('iinf', Uint8Array.of(version, 0, 0, 0), number(infos.length, version === 0 ? 2 : 4), ...infos);
  const isCleared = (file: Uint8Array) => !latin1(clean(file)).includes('secret');

  test.each([
    ['a short list', list(0, infoOf(2, number(1, 2), zeros(2), URI)), 0, true],
    ['a long list', list(1, infoOf(2, number(1, 2), zeros(2), URI)), 0, true],
    ['a list with long numbers', list(1, infoOf(3, number(1, 4), zeros(2), URI)), 2, true],
    [
      'a list behind one of another item',
      list(
        0,
        infoOf(2, number(7, 2), zeros(2), URI),
        infoOf(2, number(1, 2), zeros(2), fromLatin1('Exif\0')),
      ),
      0,
      true,
    ],
    ['a list of another item', list(0, infoOf(2, number(2, 2), zeros(2), URI)), 0, false],
    ['a list of pictures', list(0, infoOf(2, number(1, 2), zeros(2), fromLatin1('hvc1\0'))), 0, false],
    // The first two versions state no type.
    ['an old list', list(0, infoOf(1, number(1, 2), zeros(2), URI)), 0, false],
    [
      'a box of another kind in the list',
      list(0, box('text', Uint8Array.of(2, 0, 0, 0), number(1, 2), zeros(2), URI)),
      0,
      false,
    ],
    ['a box of another kind', box('iprp', zeros(6), infoOf(2, number(1, 2), zeros(2), URI)), 0, false],
  ])('%s that names it: %#', (_, infos, version, expected) => {
    expect(isCleared(announced(infos, version))).toBe(expected);
  });

  test('with a media type in the last bytes of the file is told by it', () => {
    const mime = (type: string) =>
      announced(list(0, infoOf(2, number(1, 2), zeros(2), fromLatin1(`mime\0${type}\0`))));
    expect(isCleared(mime('text/plain'))).toBe(true);
    // A packet that holds no picture is kept; it would be emptied as anything else.
    expect(isCleared(mime('application/rdf+xml'))).toBe(false);
    expect(isCleared(announced(list(0, infoOf(2, number(1, 2), zeros(2), fromLatin1('mime\0')))))).toBe(true);
  });

  test('is announced at most 65,536 times', () => {
    const one = infoOf(3, zeros(4), zeros(2), URI);
    const many = (count: number) => {
      const infos = Buffer.alloc(count * one.length, one);
      for (let n = 0; n < count; n += 1) infos.writeUInt32BE(n, n * one.length + 12);
      return announced(box('iinf', zeros(6), infos));
    };
    expect(isCleared(many(65_536))).toBe(true);
    expect(() => clean(many(65_537))).toThrow('it has too many items');
    const located = announced(list(1), 2);
    located.fill(0xff, latin1(located).indexOf('iloc') + 10, latin1(located).indexOf('iloc') + 14);
    expect(() => clean(located)).toThrow('it has too many items');
  });

  test('in boxes of its own goes, and so does that of a film in it', () => {
    const picture = heif({ type: 'hvc1', data: fromLatin1('coded') });
    const film = box('moov', box('mvhd', zeros(20)), box('udta', box('name', fromLatin1('secret'))));
    const own = box('uuid', fromLatin1('secret'));
    const out = clean(concat([picture, film, own, box('meta', zeros(4), box('xml ', fromLatin1('secret')))]));
    expect(out.subarray(0, picture.length)).toEqual(picture);
    expect(latin1(out)).toContain('mvhd');
    expect(latin1(out)).not.toMatch(/secret|uuid|udta|xml /);
  });

  test('is kept up to its limit; a file with more is refused', () => {
    const most = heif({ type: 'mime', rest: XMP_REST, data: zeros(MAX_METADATA_BYTES).fill(0x20) });
    expect(Buffer.compare(clean(most), most)).toBe(0);
    const data = zeros(MAX_METADATA_BYTES + 1).fill(0x20);
    expect(() => clean(heif({ type: 'mime', rest: XMP_REST, data }))).toThrow('metadata is too large');
  });
});

/** Source: TIFF 6.0, section 2. */
describe('the directories of a TIFF', () => {
  const entry = (tag: number, type: number, count: number, value: number) =>
    concat([number(tag, 2, true), number(type, 2, true), number(count, 4, true), number(value, 4, true)]);
  const directory = (next: number, ...entries: Uint8Array[]) =>
    concat([number(entries.length, 2, true), ...entries, number(next, 4, true)]);
  const tiff = (...parts: Uint8Array[]) => concat([fromLatin1('II*\0\x08\0\0\0'), ...parts]);
  const [WIDTH, SOFTWARE, SUB] = [256, 305, 330];
  const clean = cleanWith((source) => cleanTiff(source, rulesForTiff(false)));

  test('that lead back to one before are read once', () => {
    const second = 8 + 2 + 12 + 4;
    const data = tiff(
      directory(second, entry(WIDTH, 3, 1, 6)),
      directory(8, entry(WIDTH, 3, 1, 7), entry(SOFTWARE, 2, 2, 65)),
    );
    expect(clean(data)).toEqual(
      concat([
        tiff(directory(second, entry(WIDTH, 3, 1, 6)), directory(8, entry(WIDTH, 3, 1, 7))),
        zeros(12),
      ]),
    );
  });

  test('that lie below another are cleaned too', () => {
    const below = 8 + 2 + 12 + 4;
    const data = tiff(
      directory(0, entry(SUB, 4, 1, below)),
      directory(0, entry(SOFTWARE, 2, 2, 65), entry(WIDTH, 3, 1, 7)),
    );
    expect(clean(data)).toEqual(
      concat([tiff(directory(0, entry(SUB, 4, 1, below)), directory(0, entry(WIDTH, 3, 1, 7))), zeros(12)]),
    );
  });

  test('of a preview are erased with their pictures', () => {
    const second = 8 + 2 + 12 + 4;
    const pictureAt = second + 2 + 24 + 4;
    const data = tiff(
      directory(second, entry(WIDTH, 3, 1, 6)),
      directory(0, entry(513, 4, 1, pictureAt), entry(514, 4, 1, 6)),
      fromLatin1('secret'),
    );
    expect(exifWithoutPictures(data)).toEqual(
      concat([tiff(directory(0, entry(WIDTH, 3, 1, 6))), zeros(2 + 24 + 4 + 6)]),
    );
  });

  test('behind one that lies below another are erased', () => {
    const below = 8 + 2 + 12 + 4;
    const data = tiff(
      directory(0, entry(SUB, 4, 1, below)),
      directory(below + 18, entry(WIDTH, 3, 1, 7)),
      directory(0, entry(WIDTH, 3, 1, 8)),
    );
    expect(clean(data)).toEqual(
      concat([tiff(directory(0, entry(SUB, 4, 1, below)), directory(0, entry(WIDTH, 3, 1, 7))), zeros(18)]),
    );
  });

  test('that are broken are refused', () => {
    expect(() => clean(tiff(directory(0, entry(SUB, 2, 1, 26))))).toThrow('a directory of it is broken');
    expect(() => clean(tiff(number(5000, 2, true)))).toThrow('a directory of it is broken');
    expect(() => clean(fromLatin1('II+\x01........'))).toThrow('does not begin like a TIFF');
    for (const begin of ['IM*\0', 'XX\0*', 'II,\0'])
      expect(() => clean(fromLatin1(`${begin}............`))).toThrow('does not begin like a TIFF');
    expect(() => clean(tiff(directory(0, entry(SUB, 4, 200_001, 26))))).toThrow(
      'a directory of it is broken',
    );
    expect(() => clean(tiff(directory(0, entry(SUB, 4, 200_000, 26))))).toThrow('it ends before');
  });
});

/** Source: TIFF 6.0, section 2: an entry of texts states their length with the zero behind them. */
test('rights are written as Exif, at most 2,000 characters of each', () => {
  const textOf = (block: Uint8Array | null) => latin1(block ?? zeros(0));
  const both = textOf(
    writeExif({ orientation: null, rights: { ...NO_RIGHTS, artist: 'Edda', copyright: 'Trust' } }),
  );
  expect(both).toMatch(/Edda\0+Trust\0/);
  const long = textOf(writeExif({ orientation: null, rights: { ...NO_RIGHTS, artist: 'x'.repeat(2001) } }));
  expect(/x+/.exec(long)?.[0]).toHaveLength(2000);
  expect([0, 1, 9].map((orientation) => writeExif({ orientation, rights: null }))).toEqual([
    null,
    null,
    null,
  ]);
  expect([2, 8].map((orientation) => writeExif({ orientation, rights: null })?.[18])).toEqual([2, 8]);
});

/** Source: XML 1.0, production 2. */
test('rights are written with all characters of XML, and without others', () => {
  const artistOf = (text: string) =>
    new TextDecoder()
      .decode(writeXmp({ ...NO_RIGHTS, artist: text }) ?? undefined)
      .match(/<dc:creator><rdf:Seq><rdf:li>([\s\S]*)<\/rdf:li>/)?.[1];
  expect(artistOf('a\t\n\r b\u{1f5fc}\ud7ff\ue000\ufffd')).toBe('a\t\n\r b\u{1f5fc}\ud7ff\ue000\ufffd');
  expect(artistOf('a\0\x01\x08\x0b\x1f\ud800.\udfff.\ufffe\uffffb')).toBe('a..b');
  expect(artistOf('<&>"')).toBe('&#60;&#38;&#62;&#34;');
  expect(artistOf('y'.repeat(2001))).toBe('y'.repeat(2000));
});
