import { execFileSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import fc from 'fast-check';
import sharp from 'sharp';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { concat } from './bytes.js';
import { exifForPicture } from './exif-block.js';
import { metadataForPicture, metadataOfRights, ownMetadata } from './own-metadata.js';
import { NO_RIGHTS, writeIim } from './rights-blocks.js';

const FACTS = { widthPx: 320, heightPx: 200, isSrgb: true };

describe.each(['II', 'MM'] as const)(
  'Exif in the byte order %s, written by an independent program',
  (order) => {
    let folder: string;
    let block: Buffer;
    beforeAll(async () => {
      folder = mkdtempSync(join(tmpdir(), 'uniferum-exif-'));
      const path = join(folder, 'a.jpg');
      const preview = join(folder, 'preview.jpg');
      const plain = sharp({ create: { width: 64, height: 48, channels: 3, background: '#345' } });
      writeFileSync(path, await plain.jpeg().toBuffer());
      writeFileSync(preview, readFileSync(path));
      execFileSync('exiftool', [
        ...['-q', '-overwrite_original', `-ExifByteOrder=${order}`, '-n', '-EXIF:Orientation=8'],
        ...['-EXIF:Make=Puffin', '-EXIF:FNumber=5.6', '-EXIF:ExposureTime=0.004', '-EXIF:ColorSpace=65535'],
        ...['-EXIF:GPSLatitude=58.25', '-EXIF:GPSLatitudeRef=N', '-EXIF:ExifImageWidth=64'],
        ...['-EXIF:UserComment=seen from the lamp room', `-ThumbnailImage<=${preview}`, path],
      ]);
      block = (await sharp(path).metadata()).exif?.subarray(6) ?? Buffer.alloc(0);
    });
    afterAll(() => rmSync(folder, { recursive: true, force: true }));

    test('says the same afterwards, but for what is about the picture', () => {
      const path = join(folder, 'after.exif');
      writeFileSync(path, exifForPicture(block, FACTS) ?? '');
      const tags = JSON.parse(
        execFileSync('exiftool', ['-j', '-G1', '-n', '-a', '-u', path], { encoding: 'utf8' }),
      )[0];
      expect(tags).toMatchObject({
        'File:ExifByteOrder': order,
        'IFD0:Orientation': 1,
        'IFD0:Make': 'Puffin',
        'ExifIFD:FNumber': 5.6,
        'ExifIFD:ExposureTime': 0.004,
        'ExifIFD:ColorSpace': 1,
        'ExifIFD:ExifImageWidth': 320,
        'ExifIFD:UserComment': 'seen from the lamp room',
        'GPS:GPSLatitude': 58.25,
      });
      // Errors, warnings, minor warnings.
      expect(execFileSync('exiftool', ['-validate', '-n', '-s3', path], { encoding: 'utf8' }).trim()).toBe(
        '0 0 0',
      );
      expect(Object.keys(tags).filter((tag) => /^IFD1|Thumbnail|Warning|Error/.test(tag))).toEqual([]);
    });

    test("states that colours are not sRGB where they aren't", () => {
      const path = join(folder, 'wide.exif');
      writeFileSync(path, exifForPicture(block, { ...FACTS, isSrgb: false }) ?? '');
      expect(execFileSync('exiftool', ['-s3', '-n', '-ColorSpace', path], { encoding: 'utf8' }).trim()).toBe(
        '65535',
      );
    });

    test('whatever is broken in it, ends with a block of a bounded size, or none', () => {
      const position = fc.nat(block.length - 1);
      fc.assert(
        fc.property(
          fc.array(fc.tuple(position, fc.nat(255)), { maxLength: 12 }),
          position,
          (changes, end) => {
            const broken = Uint8Array.from(block.subarray(0, end < 40 ? block.length : end));
            for (const [at, byte] of changes) if (at < broken.length) broken[at] = byte;
            const out = exifForPicture(broken, FACTS);
            return out === null || out.length < 65_000;
          },
        ),
      );
    });

    test('is that of all metadata of a picture, which may have none', () => {
      const exif = exifForPicture(block, FACTS);
      expect(metadataForPicture({ exif: block, xmp: null, iim: null }, FACTS).exif).toEqual(exif);
      expect(metadataForPicture({ exif: null, xmp: null, iim: null }, FACTS).exif).toBeNull();
    });

    test('a second time is the same', () => {
      const once = exifForPicture(block, FACTS) ?? new Uint8Array();
      expect(exifForPicture(once, FACTS)).toEqual(once);
    });
  },
);

/** A little-endian TIFF of one directory, of texts. Source: TIFF 6.0, section 2. */
function exifOf(texts: readonly { tag: number; bytes: number }[]): Uint8Array {
  const head = new DataView(new ArrayBuffer(14 + texts.length * 12));
  head.setUint32(0, 0x002a4949, true);
  head.setUint32(4, 8, true);
  head.setUint16(8, texts.length, true);
  let at = head.byteLength;
  for (const [n, { tag, bytes }] of texts.entries()) {
    head.setUint16(10 + n * 12, tag, true);
    head.setUint16(12 + n * 12, 2, true);
    head.setUint32(14 + n * 12, bytes, true);
    head.setUint32(18 + n * 12, at, true);
    at += bytes;
  }
  return concat([new Uint8Array(head.buffer), new Uint8Array(at - head.byteLength).fill(0x61)]);
}

describe('values', () => {
  test('of up to 16 kB stay, larger ones go', () => {
    expect(exifForPicture(exifOf([{ tag: 270, bytes: 16_384 }]), FACTS)?.length).toBe(26 + 16_384);
    expect(exifForPicture(exifOf([{ tag: 270, bytes: 16_385 }]), FACTS)).toBeNull();
  });

  test('stay as long as the block fits into a JPEG', () => {
    const many = [269, 270, 271, 272, 305].map((tag) => ({ tag, bytes: 16_000 }));
    expect(exifForPicture(exifOf(many), FACTS)?.length).toBe(8 + 2 + 3 * 12 + 4 + 3 * 16_000);
  });

  test('fill the block to its last byte', () => {
    const texts = (last: number) =>
      exifOf([
        ...[269, 270, 271].map((tag) => ({ tag, bytes: 16_000 })),
        { tag: 305, bytes: 60_000 - 3 * (16_000 + 12) - 12 + last },
      ]);
    expect(exifForPicture(texts(0), FACTS)?.length).toBe(8 + 2 + 4 + 60_000);
    expect(exifForPicture(texts(1), FACTS)?.length).toBe(8 + 2 + 4 + 3 * (16_000 + 12));
  });

  test('of an unknown type, and those that lie outside, go alone', () => {
    const kept = [{ tag: 270, bytes: 20 }];
    const alone = exifForPicture(exifOf(kept), FACTS);
    const two = exifOf([...kept, { tag: 271, bytes: 20 }]);
    const [unknown, outside, inside] = [two.slice(), two.slice(), two.slice()];
    new DataView(unknown.buffer).setUint16(10 + 12 + 2, 99, true);
    new DataView(outside.buffer).setUint32(10 + 12 + 8, two.length - 19, true);
    new DataView(inside.buffer).setUint32(10 + 12 + 8, two.length - 20, true);
    expect(exifForPicture(unknown, FACTS)).toEqual(alone);
    expect(exifForPicture(outside, FACTS)).toEqual(alone);
    expect(exifForPicture(inside, FACTS)?.length).toBe((alone?.length ?? 0) + 12 + 20);
  });

  test('that describe how a TIFF is stored go, with what they lead to', () => {
    const layout = [256, 258, 273, 279, 330, 513, 700, 33_723, 34_377, 50_706];
    expect(exifForPicture(exifOf(layout.map((tag) => ({ tag, bytes: 20 }))), FACTS)).toBeNull();
  });

  test('of four bytes stand in their entry', () => {
    const out = exifForPicture(exifOf([{ tag: 270, bytes: 8 }]), FACTS);
    expect(out?.length).toBe(8 + 2 + 12 + 4 + 8);
    const short = exifOf([{ tag: 270, bytes: 4 }]);
    expect(exifForPicture(short, FACTS)?.length).toBe(8 + 2 + 12 + 4);
  });

  test('lie in other directories where a single long number leads there', () => {
    const pointing = (tag: number, type: number, count: number) => {
      const block = exifOf([
        { tag: 270, bytes: 20 },
        { tag, bytes: 30 },
      ]);
      const view = new DataView(block.buffer);
      view.setUint16(10 + 12 + 2, type, true);
      view.setUint32(10 + 12 + 4, count, true);
      if (count === 1) view.setUint32(10 + 12 + 8, 14 + 24 + 20, true);
      // One entry of two bytes: the exposure programme, or the reference of a latitude.
      const at = 14 + 24 + 20;
      view.setUint16(at, 1, true);
      view.setUint16(at + 2, tag === 34_665 ? 34_850 : 1, true);
      view.setUint16(at + 4, 3, true);
      view.setUint32(at + 6, 1, true);
      return block;
    };
    const alone = exifForPicture(exifOf([{ tag: 270, bytes: 20 }]), FACTS);
    for (const tag of [34_665, 34_853]) {
      expect(exifForPicture(pointing(tag, 4, 1), FACTS)?.length).toBe((alone?.length ?? 0) + 12 + 2 + 12 + 4);
      for (const [type, count] of [
        [3, 1],
        [4, 2],
        [9, 1],
      ] as const)
        expect(exifForPicture(pointing(tag, type, count), FACTS), `${tag} ${type} ${count}`).toEqual(alone);
    }
  });

  test('of no TIFF are none', () => {
    const other = exifOf([{ tag: 270, bytes: 20 }]);
    expect(exifForPicture(other, FACTS)).not.toBeNull();
    other[2] = 43;
    expect(exifForPicture(other, FACTS)).toBeNull();
    for (const block of [new Uint8Array(), Uint8Array.of(0x49, 0x49, 43, 0, 8, 0, 0, 0), new Uint8Array(60)])
      expect(exifForPicture(block, FACTS)).toBeNull();
  });
});

describe('a packet of XMP for a picture', () => {
  const after = (packet: string | Uint8Array) => {
    const xmp = typeof packet === 'string' ? new TextEncoder().encode(packet) : packet;
    return new TextDecoder().decode(
      metadataForPicture({ exif: null, xmp, iim: null }, FACTS).xmp ?? undefined,
    );
  };

  test('states what the picture is, as attributes and as elements', () => {
    expect(after(`<a tiff:Orientation="6" tiff:ImageWidth = '64' x="tiff:Orientation=6"/>`)).toBe(
      `<a tiff:Orientation="1" tiff:ImageWidth = '320' x="tiff:Orientation=6"/>`,
    );
    expect(
      after('<exif:PixelYDimension>64</exif:PixelYDimension><exif:ColorSpace>65535</exif:ColorSpace>'),
    ).toBe('<exif:PixelYDimension>200</exif:PixelYDimension><exif:ColorSpace>1</exif:ColorSpace>');
  });

  test('comes without padding, and in UTF-8', () => {
    expect(after(`<a/>${' '.repeat(4000)}<?xpacket end="w"?>`)).toBe('<a/>\n<?xpacket end="w"?>');
    const wide = new Uint8Array([
      0xff,
      0xfe,
      ...[...'<a b="ë"/>'].flatMap((sign) => [sign.charCodeAt(0), 0]),
    ]);
    expect(after(wide)).toBe('<a b="ë"/>');
  });
});

describe('rights', () => {
  test('as IIM are cut to its limits between characters', () => {
    const bytes = writeIim({ ...NO_RIGHTS, artist: 'ë'.repeat(40), copyright: `a${'海'.repeat(60)}` });
    const text = new TextDecoder('utf-8', { fatal: true });
    const at = (from: number, length: number) => text.decode(bytes?.subarray(from, from + length));
    expect([bytes?.[12], at(13, 32)]).toEqual([32, 'ë'.repeat(16)]);
    expect([bytes?.[49], at(50, 127)]).toEqual([127, `a${'海'.repeat(42)}`]);
  });

  test('are not written again where all but pictures is kept', () => {
    const rights = { ...NO_RIGHTS, artist: 'Edda' };
    const own = (keep: 'all-but-pictures' | 'none') => ownMetadata({ keep, rights, orientation: 6 });
    expect(own('all-but-pictures')).toEqual({ exif: null, xmp: null, iim: null });
    expect(own('none')).toEqual({ exif: expect.any(Uint8Array), xmp: null, iim: null });
  });

  test('that nobody states are not written', () => {
    expect(metadataOfRights(NO_RIGHTS)).toEqual({ exif: null, xmp: null, iim: null });
  });

  test('of the public domain are stated as such', () => {
    expect(
      new TextDecoder().decode(metadataOfRights({ ...NO_RIGHTS, isMarked: false }).xmp ?? undefined),
    ).toContain('<xmpRights:Marked>False</xmpRights:Marked>');
  });
});
