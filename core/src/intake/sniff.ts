import { splitName } from '../library/names.js';
import { decodeMarkup, readProlog, wideEncoding } from './markup.js';
import { typeByExtension, UNKNOWN_MIME } from './media-types.js';

/** The number of leading bytes that {@link sniffMime} needs. WHATWG requires 1,445; zipped documents are identified later. */
export const SNIFF_BYTES = 4096;

const CAMERA_RAW = 'image/x-dcraw';

type Pattern = readonly [mime: string, offset: number, bytes: string];

/** `bytes` is written in Latin-1, a dot stands for any byte. */
// Source: WHATWG MIME Sniffing §6.1, §6.2, §6.3, §6.4; the rest are the magic numbers of each format's own specification.
const PATTERNS: readonly Pattern[] = [
  ['image/x-icon', 0, '\x00\x00\x01\x00'],
  ['image/bmp', 0, 'BM'],
  ['image/gif', 0, 'GIF87a'],
  ['image/gif', 0, 'GIF89a'],
  ['image/webp', 0, 'RIFF....WEBPVP'],
  ['image/png', 0, '\x89PNG\r\n\x1a\n'],
  ['image/jpeg', 0, '\xff\xd8\xff'],
  ['image/x-psd', 0, '8BPS\x00\x01'],
  // A picture of more than 30,000 pixels a side.
  ['image/x-psd', 0, '8BPS\x00\x02'],
  ['image/tiff', 0, 'II*\x00'],
  ['image/tiff', 0, 'MM\x00*'],
  ['image/jxl', 0, '\xff\x0a'],
  ['image/jxl', 0, '\x00\x00\x00\x0cJXL \r\n\x87\n'],
  ['audio/aiff', 0, 'FORM....AIFF'],
  ['audio/mpeg', 0, 'ID3'],
  ['audio/midi', 0, 'MThd\x00\x00\x00\x06'],
  ['video/avi', 0, 'RIFF....AVI '],
  ['audio/wav', 0, 'RIFF....WAVE'],
  ['audio/flac', 0, 'fLaC'],
  ['font/ttf', 0, '\x00\x01\x00\x00'],
  ['font/otf', 0, 'OTTO'],
  ['font/woff', 0, 'wOFF'],
  ['font/woff2', 0, 'wOF2'],
  ['application/gzip', 0, '\x1f\x8b\x08'],
  ['application/vnd.rar', 0, 'Rar!\x1a\x07'],
  ['application/x-7z-compressed', 0, "7z\xbc\xaf'\x1c"],
  ['application/x-bzip2', 0, 'BZh'],
  ['application/x-xz', 0, '\xfd7zXZ\x00'],
  ['application/x-tar', 257, 'ustar'],
  ['application/pdf', 0, '%PDF-'],
  ['application/rtf', 0, '{\\rtf'],
  ['application/wasm', 0, '\x00asm'],
  ['application/x-executable', 0, '\x7fELF'],
  ['application/vnd.microsoft.portable-executable', 0, 'MZ'],
  ['application/x-sh', 0, '#!/'],
];

/** WHATWG MIME Sniffing §7.1: tags that make a resource HTML, each followed by a space or `>`. */
const HTML_TAGS =
  /^(?:<!doctype html|<html|<head|<script|<iframe|<h1|<div|<font|<table|<a|<style|<title|<b|<body|<br|<p|<!--)(?=[\s>]|$)/i;

/** WHATWG MIME Sniffing §3: binary data bytes, which no text holds. */
const IS_BINARY = Uint8Array.from({ length: 256 }, (_, byte) =>
  byte <= 0x08 || byte === 0x0b || (byte >= 0x0e && byte <= 0x1a) || (byte >= 0x1c && byte <= 0x1f) ? 1 : 0,
);
/** Function calls with more arguments may fail. */
const CHARACTERS_AT_A_TIME = 1024;

/**
 * Detects a file's actual type from its first bytes (at least {@link SNIFF_BYTES} of them, or all; see {@link
 * needsMoreToSniff}). The name only decides between types that look alike: kinds of text, containers for audio or
 * video, and camera raw files. Source: WHATWG MIME Sniffing Standard, extended by formats that browsers do not display.
 */
export function sniffMime(head: Uint8Array, name = ''): string {
  const start = latin1(head);
  return (
    sniffZip(start) ??
    sniffIsoMedia(start, name) ??
    sniffContainers(start, name) ??
    asCameraRaw(PATTERNS.find((pattern) => matches(start, pattern))?.[0], name) ??
    sniffMpegAudio(head) ??
    sniffText(head, name) ??
    (isNamedCameraRaw(name) ? CAMERA_RAW : UNKNOWN_MIME)
  );
}

/** Most camera raw files begin like a TIFF; others begin like nothing else, each in its own way. */
function asCameraRaw(mime: string | undefined, name: string): string | undefined {
  return mime === 'image/tiff' && isNamedCameraRaw(name) ? CAMERA_RAW : mime;
}

function isNamedCameraRaw(name: string): boolean {
  return typeByExtension(splitName(name).extension)?.mime === CAMERA_RAW;
}

function matches(start: string, [, offset, bytes]: Pattern): boolean {
  if (start.length < offset + bytes.length) return false;
  for (let i = 0; i < bytes.length; i += 1) {
    if (bytes[i] !== '.' && bytes[i] !== start[offset + i]) return false;
  }
  return true;
}

/**
 * Tells whether a file looks like markup whose root element is beyond these bytes: with more of them {@link
 * sniffMime} may give another answer.
 */
export function needsMoreToSniff(head: Uint8Array): boolean {
  return isTextual(head) && readProlog(decodeMarkup(head)).isUnfinished;
}

/** Types that a zip may declare: documents, and nothing that a program would open as something else. */
const NAMED_IN_ZIP = /^application\/(?:vnd\.oasis\.opendocument\.[a-z-]+|epub\+zip)(?=PK|$)/;

/** Zipped documents are identified by a first entry `mimetype` (ODF, EPUB), or by their folders (ISO/IEC 29500). */
function sniffZip(start: string): string | null {
  if (!start.startsWith('PK\x03\x04')) return null;
  const isNamed = start.slice(26, 28) === '\x08\x00' && start.slice(30, 38) === 'mimetype';
  const stored = isNamed ? NAMED_IN_ZIP.exec(start.slice(38))?.[0] : undefined;
  if (stored) return stored;
  if (!start.includes('[Content_Types].xml') && !start.includes('_rels/.rels')) return 'application/zip';
  const office = 'application/vnd.openxmlformats-officedocument';
  if (start.includes('word/')) return `${office}.wordprocessingml.document`;
  if (start.includes('xl/')) return `${office}.spreadsheetml.sheet`;
  if (start.includes('ppt/')) return `${office}.presentationml.presentation`;
  return 'application/zip';
}

/** ISO base media (ISO/IEC 14496-12 §4.3): the brands in the `ftyp` box distinguish pictures, audio and video. */
function sniffIsoMedia(start: string, name: string): string | null {
  if (start.slice(4, 8) !== 'ftyp') return null;
  const boxBytes =
    ((start.charCodeAt(0) << 24) |
      (start.charCodeAt(1) << 16) |
      (start.charCodeAt(2) << 8) |
      start.charCodeAt(3)) >>>
    0;
  const brands = start.slice(8, Math.min(boxBytes, start.length));
  if (brands.startsWith('crx ')) return CAMERA_RAW;
  if (/avif|avis/.test(brands)) return 'image/avif';
  if (/heic|heix|hevc|mif1|msf1/.test(brands)) return 'image/heic';
  if (brands.startsWith('qt  ')) return 'video/quicktime';
  if (brands.startsWith('M4A') || splitName(name).extension === 'm4a') return 'audio/mp4';
  return 'video/mp4';
}

function sniffContainers(start: string, name: string): string | null {
  const { extension } = splitName(name);
  if (start.startsWith('\x1a\x45\xdf\xa3')) return start.includes('webm') ? 'video/webm' : 'video/x-matroska';
  if (start.startsWith('OggS\x00'))
    return extension === 'ogv' || start.includes('theora') ? 'video/ogg' : 'audio/ogg';
  return null;
}

/** WHATWG MIME Sniffing §6.2.3: an MPEG audio frame without an ID3 tag before it. */
function sniffMpegAudio(head: Uint8Array): string | null {
  const [first = 0, second = 0, third = 0] = head;
  if (first !== 0xff || (second & 0xe0) !== 0xe0) return null;
  const layer = (second >> 1) & 3;
  const bitrate = third >> 4;
  const sampleRate = (third >> 2) & 3;
  return layer === 0 || bitrate === 15 || bitrate === 0 || sampleRate === 3 ? null : 'audio/mpeg';
}

/** Text by its byte order mark or the absence of binary bytes; markup by its root element; the rest by name. */
function sniffText(head: Uint8Array, name: string): string | null {
  if (head.length === 0 || !isTextual(head)) return null;
  const text = decodeMarkup(head);
  if (/^(?:[^:]+:)?svg$/i.test(readProlog(text).root ?? '')) return 'image/svg+xml';
  const begin = text.trimStart();
  if (HTML_TAGS.test(begin)) return 'text/html';
  if (begin.startsWith('<?xml')) return 'application/xml';
  const named = typeByExtension(splitName(name).extension)?.mime;
  const isKindOfText =
    named && (named.startsWith('text/') || named === 'application/json' || named === 'application/xml');
  return isKindOfText ? named : 'text/plain';
}

function isTextual(head: Uint8Array): boolean {
  if (wideEncoding(head) !== null) return true;
  for (const byte of head.subarray(0, SNIFF_BYTES)) if (IS_BINARY[byte] === 1) return false;
  return true;
}

function latin1(bytes: Uint8Array): string {
  let text = '';
  for (let at = 0; at < Math.min(bytes.length, SNIFF_BYTES); at += CHARACTERS_AT_A_TIME)
    // Spreading it would use its iterator, byte by byte.
    text += String.fromCharCode.apply(
      null,
      bytes.subarray(at, Math.min(at + CHARACTERS_AT_A_TIME, SNIFF_BYTES)) as unknown as number[],
    );
  return text;
}
