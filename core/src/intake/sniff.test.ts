import fc from 'fast-check';
import { fileTypeFromBuffer } from 'file-type';
import { describe, expect, test } from 'vitest';
import { MEDIA_TYPES, typeByMime, UNKNOWN_MIME } from './media-types.js';
import { needsMoreToSniff, SNIFF_BYTES, sniffMime } from './sniff.js';

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

test.each([
  ['with a prefix', '<v:svg xmlns:v="http://www.w3.org/2000/svg"/>'],
  ['behind a comment', `<!-- ${'padding '.repeat(20)} --><svg/>`],
  ['behind instructions and an internal subset', '<?a b?><!DOCTYPE x [<!ENTITY y "<html>">]> <svg/>'],
])('a drawing %s is one, in whatever encoding it comes', (_how, text) => {
  const wide = Buffer.from(`\ufeff${text}`, 'utf16le');
  for (const head of [bytes(text), wide, Buffer.from(wide).swap16(), Buffer.from(text, 'utf16le')]) {
    expect(sniffMime(head, 'photo.jpg')).toBe('image/svg+xml');
    expect(needsMoreToSniff(head)).toBe(false);
  }
});

test('markup whose first element lies beyond what was read asks for more, and is no picture until then', () => {
  const padded = `<!-- ${'x'.repeat(SNIFF_BYTES)} --><svg onload="alert(1)"/>`;
  expect(needsMoreToSniff(bytes(padded.slice(0, SNIFF_BYTES)))).toBe(true);
  expect(sniffMime(bytes(padded), 'a.txt')).toBe('image/svg+xml');
  expect(needsMoreToSniff(bytes('no markup at all'))).toBe(false);
});

test.each(['application/pdf', 'image/png', 'text/html', 'application/zip', 'application/epub+zipx'])(
  'an archive that calls itself %s is an archive',
  (claim) => {
    const archive = `PK\x03\x04${'\x00'.repeat(22)}\x08\x00\x00\x00mimetype${claim}PK\x03\x04`;
    expect(sniffMime(bytes(archive), 'a.pdf')).toBe('application/zip');
  },
);

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

describe('an MPEG audio frame (WHATWG MIME Sniffing §6.2.3)', () => {
  // ISO/IEC 11172-3, 2.4.1.3: eleven bits of sync, version, layer, protection; bitrate, sample rate.
  const frame = (second: number, third: number, first = 0xff) =>
    sniffMime(Uint8Array.from([first, second, third, 0, 0, 0, 0, 0]));
  test.each([
    ['layer III at 128 kbit/s', 0xfb, 0x90, 'audio/mpeg'],
    ['the lowest bitrate', 0xfb, 0x10, 'audio/mpeg'],
    ['the highest bitrate', 0xfb, 0xe0, 'audio/mpeg'],
    ['no layer', 0xf9, 0x90, UNKNOWN_MIME],
    ['a free bitrate', 0xfb, 0x00, UNKNOWN_MIME],
    ['a bitrate that is forbidden', 0xfb, 0xf0, UNKNOWN_MIME],
    ['a sample rate that is reserved', 0xfb, 0x9c, UNKNOWN_MIME],
    ['a sync of ten bits', 0xdb, 0x90, UNKNOWN_MIME],
  ])('%s', (_what, second, third, mime) => {
    expect(frame(second, third)).toBe(mime);
  });

  test('begins with eight bits set', () => {
    expect(frame(0xfb, 0x90, 0xfe)).toBe(UNKNOWN_MIME);
  });
});

describe('ISO base media (ISO/IEC 14496-12 §4.3)', () => {
  const box = (brands: string, length = 8 + brands.length) =>
    bytes(`${String.fromCharCode(0, 0, length >> 8, length & 255)}ftyp${brands}${'\x00'.repeat(64)}avif`);
  test.each([
    ['avif\x00\x00\x00\x00mif1', '', 'image/avif'],
    ['avis\x00\x00\x00\x00', '', 'image/avif'],
    ['mif1\x00\x00\x00\x00heic', '', 'image/heic'],
    ['qt  \x00\x00\x00\x00qt  ', '', 'video/quicktime'],
    ['isom\x00\x00\x00\x00qt  ', '', 'video/mp4'],
    ['M4A \x00\x00\x00\x00isom', '', 'audio/mp4'],
    ['isom\x00\x00\x00\x00M4A ', '', 'video/mp4'],
    ['isom\x00\x00\x00\x00mp42', 'a.m4a', 'audio/mp4'],
    ['isom\x00\x00\x00\x00mp42', 'a.mp4', 'video/mp4'],
  ])('%j named %j', (brands, name, mime) => {
    expect(sniffMime(box(brands), name)).toBe(mime);
  });

  test('brands end with their box', () => {
    expect(sniffMime(box('isom', 4096))).toBe('image/avif');
    expect(sniffMime(bytes('\x00\x00\x00\x10moovavif'))).not.toBe('image/avif');
  });
});

describe('containers', () => {
  test.each([
    ['\x1a\x45\xdf\xa3....webm', '', 'video/webm'],
    ['\x1a\x45\xdf\xa3....matroska', 'a.webm', 'video/x-matroska'],
    ['OggS\x00..theora', '', 'video/ogg'],
    ['OggS\x00..vorbis', 'a.ogv', 'video/ogg'],
    ['OggS\x00..vorbis', 'a.ogg', 'audio/ogg'],
    ['xOggS\x00', 'a.ogg', UNKNOWN_MIME],
    [
      'PK\x03\x04..........................[Content_Types].xml....xl/workbook',
      '',
      'application/vnd.openxmlformats-officedocument.spreadsheetml.sheet',
    ],
    [
      'PK\x03\x04.........................._rels/.rels..........ppt/slides',
      '',
      'application/vnd.openxmlformats-officedocument.presentationml.presentation',
    ],
    ['PK\x03\x04.........................._rels/.rels..........nothing', '', 'application/zip'],
    ['PK\x03\x04..........................word/document.xml', '', 'application/zip'],
    ['PK\x03\x04......................\x08\x00..mimetypeapplication/epub+zip', '', 'application/epub+zip'],
    ['PK\x03\x04......................\x09\x00..mimetypeapplication/epub+zip', '', 'application/zip'],
    ['PK\x03\x04......................\x08\x00..mimetypXapplication/epub+zip', '', 'application/zip'],
  ])('%j named %j', (start, name, mime) => {
    expect(sniffMime(bytes(start.replace(/(?<=^.{4})\./, '\x00')), name)).toBe(mime);
  });
});

test.each([
  ['<svgx>', 'text/plain'],
  ['<xsvg>', 'text/plain'],
  ['<a:b:svg>', 'text/plain'],
  ['<long-prefix:svg>', 'image/svg+xml'],
  ['<?xml version="1.0"?><plan/>', 'application/xml'],
])('%s is %s', (text, mime) => {
  expect(sniffMime(bytes(text))).toBe(mime);
});

test('beyond the bytes that are looked at nothing counts', () => {
  const padding = '\x00'.repeat(SNIFF_BYTES);
  expect(sniffMime(bytes(`PK\x03\x04${padding}[Content_Types].xml word/`))).toBe('application/zip');
  expect(sniffMime(bytes(`${'a'.repeat(SNIFF_BYTES)}\x00`))).toBe('text/plain');
  expect(sniffMime(bytes(`${'a'.repeat(SNIFF_BYTES - 1)}\x00`))).toBe(UNKNOWN_MIME);
});
