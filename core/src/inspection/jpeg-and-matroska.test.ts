import { describe, expect, test } from 'vitest';
import { BytesInMemory, concat, fromLatin1, latin1 } from './bytes.js';
import { cleanIsoMedia } from './clean-films.js';
import { cleanJpeg } from './clean-jpeg.js';
import { cleanMatroska } from './clean-matroska.js';
import type { CleanOptions } from './clean-options.js';
import { applyPieces } from './edits.js';
import { NO_RIGHTS, writeExif } from './rights-blocks.js';

// Files of a few bytes, put together by hand from the published layouts, so that it is known which of them may come out.

const number = (value: number, length: number) =>
  Uint8Array.from({ length }, (_, n) => Math.floor(value / 256 ** (length - 1 - n)) & 255);
const zeros = (length: number) => new Uint8Array(length);

/** Source: ITU-T T.81, annex B. */
describe('a JPEG', () => {
  const segment = (marker: number, ...data: Uint8Array[]) => {
    const all = concat(data);
    return concat([Uint8Array.of(0xff, marker), number(all.length + 2, 2), all]);
  };
  const start = Uint8Array.of(0xff, 0xd8);
  const jfif = segment(0xe0, fromLatin1('JFIF\0'), Uint8Array.of(1, 2, 0, 0, 1, 0, 1, 0, 0));
  const frame = segment(0xc0, Uint8Array.of(8, 0, 1, 0, 1, 1, 1, 0x11, 0));
  const scan = concat([segment(0xda, Uint8Array.of(1, 1, 0, 0, 63, 0)), fromLatin1('coded')]);
  const end = Uint8Array.of(0xff, 0xd9);
  const plain = concat([start, jfif, frame, scan, end]);
  const clean = (data: Uint8Array, options: Partial<CleanOptions>) => {
    const source = new BytesInMemory(data);
    return applyPieces(
      source,
      cleanJpeg(source, { keep: 'none', rights: NO_RIGHTS, orientation: null, ...options }),
    );
  };
  /** The markers in order, with the beginnings of APP segments. */
  const segmentsOf = (data: Uint8Array) => {
    const found: string[] = [];
    for (let at = 2; data[at] === 0xff && data[at + 1] !== 0xda && data[at + 1] !== 0xd9; ) {
      const length = ((data[at + 2] ?? 0) << 8) + (data[at + 3] ?? 0);
      found.push(`${data[at + 1]?.toString(16)} ${latin1(data.subarray(at + 4, at + 8))}`);
      at += 2 + length;
    }
    return found;
  };
  const rights = { ...NO_RIGHTS, artist: 'Edda', copyright: '© Skerry Light Trust' };

  test('without anything to say stays as it is', () => {
    expect(clean(plain, {})).toEqual(plain);
    expect(clean(plain, { keep: 'rights' })).toEqual(plain);
  });

  test('has its own Exif and XMP after JFIF, before everything else, and in this order', () => {
    const out = clean(plain, { keep: 'rights', rights, orientation: 6 });
    expect(segmentsOf(out).slice(0, 3)).toEqual(['e0 JFIF', 'e1 Exif', 'e1 http']);
    expect(latin1(out)).toContain('Edda');
    // What was coded comes after it, byte for byte.
    expect(latin1(out).endsWith(latin1(plain.subarray(2 + jfif.length)))).toBe(true);
  });

  test('says how it is turned where nothing is kept, and not whose it is', () => {
    const out = clean(plain, { keep: 'none', rights, orientation: 6 });
    expect(segmentsOf(out)).toEqual(['e0 JFIF', 'e1 Exif', 'c0 \b\0\u0001\0']);
    expect(latin1(out)).not.toContain('Edda');
  });

  test('has its own IPTC in an image resource, padded to an even length', () => {
    for (const text of ['odd', 'even']) {
      const iim = fromLatin1(text);
      const out = clean(plain, { keep: 'given', given: { exif: null, xmp: null, iim } });
      expect(segmentsOf(out)).toEqual(['e0 JFIF', 'ed Phot', 'c0 \b\0\u0001\0']);
      const resource = concat([
        number(0x0404, 2),
        zeros(2),
        number(text.length, 4),
        iim,
        zeros(text.length % 2),
      ]);
      expect(latin1(out)).toContain(`8BIM${latin1(resource)}\xff\xc0`);
    }
  });

  test('is given what fits into a segment, and not more', () => {
    const out = (bytes: number) =>
      segmentsOf(clean(plain, { keep: 'given', given: { exif: zeros(bytes), xmp: null, iim: null } }));
    const most = 65_535 - 2 - 'Exif\0\0'.length;
    expect(out(most)).toContain('e1 Exif');
    expect(out(most + 1)).toEqual(out(0).slice(0, 1).concat(out(0).slice(2)));
  });

  test('is read over restart markers to the end of its scan, and only a JPEG is', () => {
    const restarts = Array.from({ length: 8 }, (_, n) =>
      concat([Uint8Array.of(0xff, 0xd0 + n), fromLatin1('x')]),
    );
    const data = concat([start, jfif, frame, scan, ...restarts, end]);
    expect(clean(concat([data, fromLatin1('secret')]), {})).toEqual(data);
    expect(() => clean(data.subarray(1), {})).toThrow('does not begin like a JPEG');
  });

  test('is given nothing of its own where all but pictures is kept', () => {
    expect(clean(plain, { keep: 'all-but-pictures', rights, orientation: 6 })).toEqual(plain);
  });

  test('keeps its metadata to the last byte where all but pictures is kept, and nothing unknown', () => {
    const exif = writeExif({ orientation: 6, rights });
    const iptc = concat([fromLatin1('8BIM'), number(0x0404, 2), zeros(2), number(4, 4), fromLatin1('iptc')]);
    const preview = concat([
      fromLatin1('8BIM'),
      number(0x040c, 2),
      zeros(2),
      number(6, 4),
      fromLatin1('secret'),
    ]);
    const resources = (...all: Uint8Array[]) => segment(0xed, fromLatin1('Photoshop 3.0\0'), ...all);
    const kept = [
      segment(0xe1, fromLatin1('Exif\0\0'), exif ?? zeros(0)),
      segment(0xe1, fromLatin1('http://ns.adobe.com/xap/1.0/\0'), fromLatin1('<x:by>Edda</x:by>')),
      segment(0xe2, fromLatin1('ICC_PROFILE\0profile')),
      segment(0xee, fromLatin1('Adobe'), zeros(7)),
      segment(0xfe, fromLatin1('a comment')),
    ];
    const gone = [
      segment(0xe1, fromLatin1('http://ns.adobe.com/xmp/extension/\0secret')),
      segment(0xe2, fromLatin1('MPF\0secret')),
      segment(0xe0, fromLatin1('JFXX\0secret')),
      segment(0xef, fromLatin1('secret')),
      resources(preview),
    ];
    const data = concat([start, jfif, ...gone, ...kept, resources(preview, iptc, preview), frame, scan, end]);
    expect(clean(data, { keep: 'all-but-pictures' })).toEqual(
      concat([start, jfif, ...kept, resources(iptc), frame, scan, end]),
    );
    const shown = concat([start, jfif, kept[2] ?? zeros(0), kept[3] ?? zeros(0), frame, scan, end]);
    expect(clean(data, {})).toEqual(shown);
    expect(clean(data, { keep: 'rights' })).toEqual(shown);
  });

  test('in several scans loses what it says between them', () => {
    const told = concat([start, jfif, frame, scan, segment(0xfe, fromLatin1('secret')), scan, end]);
    expect(clean(told, {})).toEqual(concat([start, jfif, frame, scan, scan, end]));
  });

  test('loses the thumbnail of its first segment', () => {
    const small = segment(
      0xe0,
      fromLatin1('JFIF\0'),
      Uint8Array.of(1, 2, 0, 0, 1, 0, 1, 1, 1),
      fromLatin1('rgb'),
    );
    for (const keep of ['none', 'all-but-pictures'] as const)
      expect(clean(concat([start, small, frame, scan, end]), { keep })).toEqual(plain);
    const short = segment(0xe0, fromLatin1('JFIF\0'), zeros(6));
    expect(clean(concat([start, short, frame, scan, end]), {})).toEqual(
      concat([start, short, frame, scan, end]),
    );
  });

  test('fill bytes may stand before a marker, and a segment may end with the file', () => {
    const filled = concat([start, jfif, Uint8Array.of(0xff, 0xff), frame, scan, end]);
    expect(clean(filled, {})).toEqual(plain);
    const broken = concat([start, jfif, segment(0xfe, fromLatin1('a comment'))]);
    expect(() => clean(broken, { keep: 'all-but-pictures' })).toThrow(RangeError);
  });
});

/** Source: RFC 9559, section 5; EBML (RFC 8794). */
describe('a Matroska film', () => {
  const idBytes = (id: number) => {
    const length = id > 0xffffff ? 4 : id > 0xffff ? 3 : id > 0xff ? 2 : 1;
    return number(id, length);
  };
  /** An element whose size is written in one byte. */
  const element = (id: number, ...data: Uint8Array[]) => {
    const all = concat(data);
    return concat([idBytes(id), Uint8Array.of(0x80 | all.length), all]);
  };
  const head = element(0x1a45dfa3, zeros(3));
  const film = (...children: Uint8Array[]) => concat([head, element(0x18538067, ...children)]);
  const clean = (data: Uint8Array) => {
    const source = new BytesInMemory(data);
    const options = { keep: 'none', rights: NO_RIGHTS, orientation: null } as const;
    return applyPieces(source, cleanMatroska(source, options));
  };
  /** A void element of the same length. */
  const voided = (one: Uint8Array) => {
    const sizeBytes = Math.min(8, one.length - 1);
    const rest = one.length - 1 - sizeBytes;
    const size = number(rest, sizeBytes);
    size[0] = (size[0] ?? 0) | (1 << (8 - sizeBytes));
    return concat([Uint8Array.of(0xec), size, zeros(rest)]);
  };
  const timescale = element(0x2ad7b1, zeros(3));
  const title = element(0x7ba9, fromLatin1('secret'));
  const checksum = element(0xbf, zeros(4));
  const cluster = element(0x1f43b675, fromLatin1('frames'));

  test('loses its tags and its title, keeps what a player needs, and no byte moves', () => {
    const tags = element(0x1254c367, fromLatin1('a secret that is long'));
    const info = element(0x1549a966, timescale, title);
    const out = clean(film(info, tags, cluster));
    expect(out).toEqual(film(element(0x1549a966, timescale, voided(title)), voided(tags), cluster));
  });

  test('the checksum of what was changed goes, and that alone', () => {
    const out = clean(film(element(0x1549a966, checksum, timescale), cluster));
    expect(out).toEqual(film(element(0x1549a966, voided(checksum), timescale), cluster));
  });

  test('the smallest element that there can be becomes a void of its size', () => {
    const smallest = element(0x84);
    expect(smallest.length).toBe(2);
    const out = clean(film(element(0x1549a966, smallest, timescale)));
    expect(out).toEqual(film(element(0x1549a966, Uint8Array.of(0xec, 0x80), timescale)));
  });

  test('what follows its end is zeros', () => {
    const data = film(cluster);
    expect(clean(concat([data, fromLatin1('secret')]))).toEqual(concat([data, zeros(6)]));
  });

  test('a recording that broke off in a cluster is kept as far as it goes, and no other element may be cut off', () => {
    const open = (id: number, ...data: Uint8Array[]) => concat([idBytes(id), Uint8Array.of(0xff), ...data]);
    const cut = (id: number) => concat([idBytes(id), Uint8Array.of(0x80 | 40), fromLatin1('frames')]);
    const recording = (id: number) => concat([head, open(0x18538067, open(0x1f43b675, cut(id)))]);
    for (const id of [0xa3, 0x4dbb]) expect(clean(recording(id))).toEqual(recording(id));
    expect(() => clean(recording(0x1254c367))).toThrow('an element of it is broken');
    expect(() => clean(concat([head, open(0x18538067, open(0x1254c367))]))).toThrow('has no size');
  });

  test('begins with its head, of a stated size, and its segment', () => {
    const segment = element(0x18538067, cluster);
    for (const begin of [
      concat([idBytes(0x1a45dfa3), Uint8Array.of(0xff), zeros(3)]),
      element(0x1a45dfa4, zeros(3)),
    ])
      expect(() => clean(concat([begin, segment]))).toThrow('does not begin like a Matroska file');
    expect(() => clean(concat([head, cluster]))).toThrow('it holds no segment');
  });

  test('an element that ends beyond the one around it is said', () => {
    const endless = concat([idBytes(0x7ba9), Uint8Array.of(0xff), fromLatin1('x')]);
    expect(() => clean(film(element(0x1549a966, endless)))).toThrow('an element of it is broken');
    const tooLong = concat([idBytes(0x7ba9), Uint8Array.of(0x80 | 40), fromLatin1('short')]);
    expect(() => clean(film(element(0x1549a966, tooLong)))).toThrow('an element of it is broken');
  });
});

/** Source: QuickTime File Format, metadata atoms. */
describe("the keys of a film's metadata", () => {
  const box = (type: string, ...data: Uint8Array[]) => {
    const all = concat(data);
    return concat([number(all.length + 8, 4), fromLatin1(type), all]);
  };
  const key = (name: string) => box('mdta', fromLatin1(name));
  const item = (index: number, text: string) => {
    const data = box('data', zeros(8), fromLatin1(text));
    return concat([number(data.length + 8, 4), number(index, 4), data]);
  };
  const film = (keys: readonly string[], items: readonly Uint8Array[], version = zeros(0)) =>
    concat([
      box('ftyp', fromLatin1('qt  ')),
      box(
        'moov',
        box('mvhd', zeros(20)),
        box(
          'meta',
          version,
          box('hdlr', zeros(24)),
          box('keys', zeros(4), number(keys.length, 4), ...keys.map(key)),
          box('ilst', ...items),
        ),
      ),
    ]);
  const clean = (data: Uint8Array, keep: 'rights' | 'none' = 'rights') => {
    const source = new BytesInMemory(data);
    return latin1(applyPieces(source, cleanIsoMedia(source, { keep, rights: NO_RIGHTS, orientation: null })));
  };
  const KEYS = [
    'com.apple.quicktime.location.ISO6709',
    'com.apple.quicktime.copyright',
    'com.apple.quicktime.model',
    'com.apple.quicktime.artist',
  ];

  test('decide by their place which items stay: those that say whose it is', () => {
    const items = ['position', 'trust', 'camera', 'Edda'].map((text, n) => item(n + 1, text));
    const out = clean(film(KEYS, items));
    expect(['position', 'trust', 'camera', 'Edda'].filter((text) => out.includes(text))).toEqual([
      'trust',
      'Edda',
    ]);
  });

  test('hold for items in any order', () => {
    const out = clean(
      film(KEYS, [item(4, 'Edda'), item(3, 'camera'), item(2, 'trust'), item(1, 'position')]),
    );
    expect(['position', 'trust', 'camera', 'Edda'].filter((text) => out.includes(text))).toEqual([
      'trust',
      'Edda',
    ]);
  });

  test('are found behind a version, too, as ISO films have it, and in no box that is too short for one', () => {
    const out = clean(film(KEYS, [item(1, 'position'), item(4, 'Edda')], zeros(4)));
    expect(['position', 'Edda'].filter((text) => out.includes(text))).toEqual(['Edda']);
    for (const short of [zeros(0), zeros(4), zeros(7)]) {
      const data = concat([
        box('ftyp', fromLatin1('qt  ')),
        box('moov', box('mvhd', zeros(20)), box('meta', short)),
      ]);
      expect(clean(data)).toHaveLength(data.length);
    }
  });

  test('where nothing is kept no item is', () => {
    expect(clean(film(KEYS, [item(4, 'Edda')]), 'none')).not.toContain('Edda');
  });

  test('of which there are more than any film has are said', () => {
    const many = (count: number) =>
      film(
        Array.from({ length: count }, () => 'a'),
        [],
      );
    expect(() => clean(many(10_000))).not.toThrow();
    expect(() => clean(many(10_001))).toThrow('it has too many keys');
  });
});
