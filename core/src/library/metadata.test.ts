import { describe, expect, test } from 'vitest';
import { capturedAt, isQuarterTurned, textsFromMetadata } from './metadata.js';

describe('capturedAt', () => {
  test.each([
    // Exif 2.32, tags 0x9003, 0x9011, 0x9291.
    [{ dateTimeOriginal: '2025:06:01 12:00:00', offsetTimeOriginal: '+02:00' }, '2025-06-01T10:00:00.000Z'],
    [{ dateTimeOriginal: '2025:06:01 12:00:00', offsetTimeOriginal: '-03:30' }, '2025-06-01T15:30:00.000Z'],
    [{ dateTimeOriginal: '2025:06:01 12:00:00' }, '2025-06-01T12:00:00.000Z'],
    [{ dateTimeOriginal: '2025:06:01 12:00:00', subSecTimeOriginal: '25' }, '2025-06-01T12:00:00.250Z'],
    [{ dateTimeDigitized: '2025:06:01 12:00:00' }, '2025-06-01T12:00:00.000Z'],
    [{ dateTimeOriginal: '0000:00:00 00:00:00' }, null],
    [{ dateTimeOriginal: '2025:02:31 12:00:00' }, null],
    [{ dateTimeOriginal: '    :  :     :  :  ' }, null],
    [{}, null],
  ])('reads %j as %s', (metadata, expected) => {
    expect(capturedAt(metadata)).toBe(expected);
  });
});

test('textsFromMetadata prefers XMP and IPTC over Exif, and leaves out what is blank', () => {
  const texts = textsFromMetadata({
    title: ' Dusk ',
    description: '',
    imageDescription: 'From the pier',
    artist: 'Tam',
    keywords: ['sea', ' sea ', ''],
  });
  expect(texts).toEqual({
    title: 'Dusk',
    alt: null,
    caption: 'From the pier',
    credit: 'Tam',
    keywords: ['sea'],
  });
});

test('orientations 5 to 8 turn a picture by a quarter (Exif 2.32, tag 0x0112)', () => {
  expect([null, 1, 2, 3, 4].some(isQuarterTurned)).toBe(false);
  expect([5, 6, 7, 8].every(isQuarterTurned)).toBe(true);
});
