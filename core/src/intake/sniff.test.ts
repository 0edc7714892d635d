import fc from 'fast-check';
import { fileTypeFromBuffer } from 'file-type';
import { describe, expect, test } from 'vitest';
import { MEDIA_TYPES, typeByMime } from './media-types.js';
import { SNIFF_BYTES, sniffMime } from './sniff.js';

const bytes = (text: string) => Uint8Array.from(text, (character) => character.charCodeAt(0));

describe('the byte patterns of WHATWG MIME Sniffing', () => {
  test.each([
    // §6.1 images
    ['\x00\x00\x01\x00', 'image/x-icon'],
    ['BM', 'image/bmp'],
    ['GIF87a', 'image/gif'],
    ['GIF89a', 'image/gif'],
    ['RIFF\x01\x02\x03\x04WEBPVP8 ', 'image/webp'],
    ['\x89PNG\r\n\x1a\n', 'image/png'],
    ['\xff\xd8\xff\xe0', 'image/jpeg'],
    // §6.2 audio and video
    ['FORM\x00\x00\x00\x00AIFF', 'audio/aiff'],
    ['ID3\x03', 'audio/mpeg'],
    ['OggS\x00', 'audio/ogg'],
    ['MThd\x00\x00\x00\x06', 'audio/midi'],
    ['RIFF\x01\x02\x03\x04AVI ', 'video/avi'],
    ['RIFF\x01\x02\x03\x04WAVE', 'audio/wav'],
    ['\x1a\x45\xdf\xa3\x01\x42\x82\x84webm', 'video/webm'],
    // §6.3 fonts, §6.4 archives
    ['\x00\x01\x00\x00', 'font/ttf'],
    ['wOFF', 'font/woff'],
    ['wOF2', 'font/woff2'],
    ['\x1f\x8b\x08', 'application/gzip'],
    ['PK\x03\x04', 'application/zip'],
    ['Rar!\x1a\x07\x00', 'application/vnd.rar'],
    // §7.1 text and documents
    ['%PDF-1.7', 'application/pdf'],
    ['  <!DOCTYPE HTML>', 'text/html'],
    ['<script>', 'text/html'],
    ['<?xml version="1.0"?><a/>', 'application/xml'],
    ['\xfe\xff\x00a', 'text/plain'],
    ['plain words', 'text/plain'],
    ['\x01\x02\x03', 'application/octet-stream'],
  ])('%j is %s', (start, mime) => {
    expect(sniffMime(bytes(start))).toBe(mime);
  });

  test('a tag needs a space or a bracket after it (§7.1)', () => {
    expect(sniffMime(bytes('<a>'))).toBe('text/html');
    expect(sniffMime(bytes('<abbreviation'))).toBe('text/plain');
  });
});

test.each([
  ['<svg xmlns="http://www.w3.org/2000/svg"/>', 'x.svg'],
  ['\xef\xbb\xbf<?xml version="1.0"?>\n<!-- plan -->\n<!DOCTYPE svg PUBLIC "a" "b">\n<svg>', 'x.txt'],
])('a drawing is known by its first tag, whatever stands before it', (text, name) => {
  expect(sniffMime(bytes(text), name)).toBe('image/svg+xml');
});

test('a false extension does not change what bytes are', () => {
  expect(sniffMime(bytes('\xff\xd8\xff\xe0'), 'plan.png')).toBe('image/jpeg');
  expect(sniffMime(bytes('MZ\x90\x00'), 'holiday.jpg')).toBe('application/vnd.microsoft.portable-executable');
  expect(sniffMime(bytes('<html><body>'), 'notes.txt')).toBe('text/html');
});

test('the name chooses among kinds of text', () => {
  expect(sniffMime(bytes('a,b\r\n1,2'), 'tides.csv')).toBe('text/csv');
  expect(sniffMime(bytes('{"a":1}'), 'a.json')).toBe('application/json');
  expect(sniffMime(bytes('words'), 'a.jpg')).toBe('text/plain');
});

test('documents in a zip are told by the entry that names them', () => {
  const odt = `PK\x03\x04${'\x00'.repeat(22)}\x08\x00\x00\x00mimetypeapplication/vnd.oasis.opendocument.textPK\x03\x04`;
  expect(sniffMime(bytes(odt))).toBe('application/vnd.oasis.opendocument.text');
  expect(
    sniffMime(bytes('PK\x03\x04..........................[Content_Types].xml......word/document.xml')),
  ).toContain('wordprocessingml');
});

test('agrees with an independent library wherever both know the bytes', async () => {
  const random = fc.uint8Array({ minLength: 64, maxLength: 64 });
  const starts = [
    '\xff\xd8\xff\xe0\x00\x10JFIF',
    '\x89PNG\r\n\x1a\n',
    'GIF89a',
    '%PDF-1.4',
    'fLaC',
    'BZh9',
    '\xfd7zXZ\x00',
    "7z\xbc\xaf'\x1c",
    'wOF2\x00\x01\x00\x00',
    '\x00asm',
  ];
  await fc.assert(
    fc.asyncProperty(fc.constantFrom(...starts), random, async (start, rest) => {
      const sample = Uint8Array.from([...bytes(start), ...rest]);
      const theirs = await fileTypeFromBuffer(sample);
      if (theirs && typeByMime(theirs.mime)) expect(sniffMime(sample)).toBe(theirs.mime);
    }),
    { numRuns: 60 },
  );
});

test('whatever the bytes are, an answer comes, and quickly', () => {
  fc.assert(
    fc.property(fc.uint8Array({ maxLength: SNIFF_BYTES }), fc.string(), (head, name) => {
      expect(sniffMime(head, name)).toMatch(/^[a-z]+\/[a-z0-9.+-]+$/);
    }),
  );
  expect(sniffMime(bytes(`<!--${'-'.repeat(SNIFF_BYTES)}`))).toBeTruthy();
});

test('no extension stands for two types, but for those that the trade shares', () => {
  const seen = MEDIA_TYPES.flatMap(({ extensions }) => extensions);
  const twice = seen.filter((extension, index) => seen.indexOf(extension) !== index);
  expect(twice).toEqual([]);
});
