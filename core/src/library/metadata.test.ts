import { describe, expect, test } from 'vitest';
import {
  capturedAt,
  DEFAULT_MAPPING,
  EMBEDDED_FIELDS,
  type EmbeddedMetadata,
  isQuarterTurned,
  MAPPED_TEXTS,
  mayFill,
  textsFromMetadata,
} from './metadata.js';

const ORIGINAL = 'exif:dateTimeOriginal';

describe('capturedAt', () => {
  test.each([
    // Exif 2.32, tags 0x9003, 0x9011, 0x9291.
    [{ [ORIGINAL]: '2025:06:01 12:00:00', 'exif:offset': '+02:00' }, '2025-06-01T12:00:00.000+02:00'],
    [{ [ORIGINAL]: '2025:06:01 12:00:00', 'exif:offset': '-03:30' }, '2025-06-01T12:00:00.000-03:30'],
    [{ [ORIGINAL]: '2025:06:01 12:00:00' }, '2025-06-01T12:00:00.000Z'],
    [{ [ORIGINAL]: '2025:06:01 12:00:00', 'exif:subSecond': '25' }, '2025-06-01T12:00:00.250Z'],
    [{ 'exif:dateTimeDigitized': '2025:06:01 12:00:00' }, '2025-06-01T12:00:00.000Z'],
    // XMP dates are ISO 8601 (ISO 16684-1, 8.2.1.2), IIM dates are CCYYMMDD and HHMMSS±HHMM (IIM 4.2, 2:55 and 2:60).
    [{ 'xmp:dateCreated': '2025-06-01T12:00:00+02:00' }, '2025-06-01T12:00:00.000+02:00'],
    [{ 'xmp:dateCreated': '2025-06-01T12:00:00Z' }, '2025-06-01T12:00:00.000+00:00'],
    [{ 'xmp:dateCreated': '2025-06-01T12:00:00+15:00' }, '2025-06-01T12:00:00.000Z'],
    [{ 'xmp:dateCreated': '2025-06-01T12:00:00+01:60' }, '2025-06-01T12:00:00.000Z'],
    [{ 'xmp:dateCreated': '2025-06-01' }, '2025-06-01T00:00:00.000Z'],
    [{ 'iptc:dateCreated': '20250601 120000+0200' }, '2025-06-01T12:00:00.000+02:00'],
    [{ [ORIGINAL]: '0000:00:00 00:00:00', 'xmp:dateCreated': '2025-06-01' }, '2025-06-01T00:00:00.000Z'],
    [{ [ORIGINAL]: '2025:02:31 12:00:00' }, null],
    [{ [ORIGINAL]: '    :  :     :  :  ' }, null],
    [{}, null],
  ])('reads %j as %s', (metadata, expected) => {
    expect(capturedAt(metadata)).toBe(expected);
  });
});

describe('textsFromMetadata', () => {
  const metadata = {
    'xmp:title': ' Dusk ',
    'xmp:description': '',
    'exif:imageDescription': 'From the pier',
    'exif:artist': 'Tam',
    'xmp:subject': ['sea', ' sea ', ''],
    'iptc:keywords': 'dusk; pier',
  };

  test('prefers XMP and IPTC over Exif, and leaves out what is blank', () => {
    expect(textsFromMetadata(metadata)).toEqual({
      title: 'Dusk',
      alt: null,
      caption: 'From the pier',
      credit: 'Tam',
      keywords: ['sea'],
    });
  });

  test('takes the fields in the order that was set', () => {
    const mapping = {
      ...DEFAULT_MAPPING,
      alt: ['exif:imageDescription' as const],
      title: [],
      keywords: ['iptc:keywords' as const, 'xmp:subject' as const],
    };
    expect(textsFromMetadata(metadata, mapping)).toMatchObject({
      title: null,
      alt: 'From the pier',
      keywords: ['dusk', 'pier'],
    });
  });
});

test('a date fills the capture date and nothing else does, in the default mapping as well', () => {
  expect(EMBEDDED_FIELDS.filter((field) => mayFill('capturedAt', field))).toHaveLength(4);
  for (const text of MAPPED_TEXTS)
    expect(DEFAULT_MAPPING[text].every((field) => mayFill(text, field))).toBe(true);
});

test('orientations 5 to 8 turn a picture by a quarter (Exif 2.32, tag 0x0112)', () => {
  expect([null, 1, 2, 3, 4].some(isQuarterTurned)).toBe(false);
  expect([5, 6, 7, 8].every(isQuarterTurned)).toBe(true);
  expect([0, 9].some(isQuarterTurned)).toBe(false);
});

describe('a moment of capture holds at its limits, and not one further', () => {
  const read = (value: string, more: EmbeddedMetadata = {}) =>
    capturedAt({ 'exif:dateTimeOriginal': value, ...more });
  test.each([
    ['1000:01:01 00:00:00', '1000-01-01T00:00:00.000Z'],
    ['2025:12:31 23:59:59', '2025-12-31T23:59:59.000Z'],
    ['  2025:12:31 23:59:59  ', '2025-12-31T23:59:59.000Z'],
    ['2025-01-01', '2025-01-01T00:00:00.000Z'],
    ['2024:02:29 12:00:00', '2024-02-29T12:00:00.000Z'],
    ['0999:12:31 23:59:59', null],
    ['0050:12:31 23:59:59', null],
    ['2025:00:10 12:00:00', null],
    ['2025:13:10 12:00:00', null],
    ['2025:01:00 12:00:00', null],
    ['2025:01:32 12:00:00', null],
    ['2025:02:29 12:00:00', null],
    ['2025:01:01 24:00:00', null],
    ['2025:01:01 12:60:00', null],
    ['2025:01:01 12:00:60', null],
    ['nothing', null],
  ])('%s', (value, moment) => {
    expect(read(value)).toBe(moment);
  });

  test('the fraction and the offset have fields of their own (Exif 2.32, 0x9011 and 0x9291)', () => {
    expect(read('2025:06:01 12:00:00', { 'exif:subSecond': '25 ', 'exif:offset': '+02:00' })).toBe(
      '2025-06-01T12:00:00.250+02:00',
    );
    expect(read('2025:06:01 12:00:00', { 'exif:subSecond': 'x25', 'exif:offset': '-01:30' })).toBe(
      '2025-06-01T12:00:00.000-01:30',
    );
    expect(read('2025:06:01 12:00:00', { 'exif:offset': 'Z' })).toBe('2025-06-01T12:00:00.000+00:00');
  });

  test('texts are the first that says anything, keywords without blanks and repeats', () => {
    const texts = textsFromMetadata({ 'xmp:subject': [' fog ', '', 'fog', 'lamp'] } as EmbeddedMetadata);
    expect(texts.keywords).toEqual(['fog', 'lamp']);
    expect(
      textsFromMetadata({
        'xmp:subject': [' '],
        'iptc:keywords': 'sea; wall',
      } as unknown as EmbeddedMetadata).keywords,
    ).toEqual(['sea', 'wall']);
  });
});
