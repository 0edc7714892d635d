import type { EmbeddedMetadata } from '@uniferum/core';
import exifr from 'exifr';
import { imageSizeFromFile } from 'image-size/fromFile';

/** A picture's size as displayed, and the Exif orientation of its stored bytes. */
export interface PictureSize {
  width: number;
  height: number;
  orientation: number | null;
}

const READ_OPTIONS = {
  tiff: true,
  exif: true,
  gps: false,
  iptc: true,
  xmp: true,
  mergeOutput: false,
  translateValues: false,
  reviveValues: false,
};

type Block = Record<string, unknown>;

/** Reads a file's Exif, IPTC and XMP. What can't be read counts as absent: metadata is never a reason to refuse a file. */
export async function readEmbedded(path: string): Promise<EmbeddedMetadata> {
  const blocks: Record<string, Block | undefined> =
    (await exifr.parse(path, READ_OPTIONS).catch(() => undefined)) ?? {};
  const { ifd0 = {}, exif = {}, iptc = {}, dc = {}, xmp = {} } = blocks;
  const iptcCore = blocks.Iptc4xmpCore ?? {};
  const published = otherNamespaces(blocks);
  return {
    'xmp:title': text(dc.title),
    'xmp:headline': text(published.Headline),
    'xmp:description': text(dc.description),
    'xmp:altText': text(iptcCore.AltTextAccessibility),
    'xmp:creator': text(dc.creator),
    'xmp:credit': text(published.Credit),
    'xmp:rights': text(dc.rights),
    'xmp:subject': list(dc.subject),
    'xmp:dateCreated': text(published.DateCreated) ?? text(xmp.CreateDate),
    'iptc:objectName': text(iptc.ObjectName),
    'iptc:headline': text(iptc.Headline),
    'iptc:caption': text(iptc.Caption),
    'iptc:byline': text(iptc.Byline),
    'iptc:credit': text(iptc.Credit),
    'iptc:copyright': text(iptc.CopyrightNotice),
    'iptc:keywords': list(iptc.Keywords),
    'iptc:dateCreated':
      [text(iptc.DateCreated), text(iptc.TimeCreated)].filter(Boolean).join(' ') || undefined,
    'exif:imageDescription': text(ifd0.ImageDescription),
    'exif:artist': text(ifd0.Artist),
    'exif:copyright': text(ifd0.Copyright),
    'exif:dateTimeOriginal': text(exif.DateTimeOriginal),
    'exif:dateTimeDigitized': text(exif.CreateDate),
    'exif:offset': text(exif.OffsetTimeOriginal),
    'exif:subSecond': text(exif.SubSecTimeOriginal),
  };
}

const NAMED_BLOCKS = new Set(['ifd0', 'exif', 'iptc', 'dc', 'xmp', 'Iptc4xmpCore']);

/** IPTC keeps headline, credit line and date of creation in a namespace of XMP that is not its own. */
function otherNamespaces(blocks: Record<string, Block | undefined>): Block {
  const others = Object.entries(blocks).filter(([name]) => !NAMED_BLOCKS.has(name));
  return Object.assign({}, ...others.map(([, block]) => block));
}

/** Reads a picture's size from its header, without decoding it. @throws Error when there is none to be read */
export async function readPictureSize(path: string): Promise<PictureSize> {
  const { width, height, orientation } = await imageSizeFromFile(path);
  if (!(width > 0 && height > 0)) throw new Error('its header states no size');
  const isTurned = orientation !== undefined && orientation >= 5 && orientation <= 8;
  return {
    width: Math.round(isTurned ? height : width),
    height: Math.round(isTurned ? width : height),
    orientation: orientation ?? null,
  };
}

/** XMP gives a language alternative as `{ lang, value }` and a list of one as its item. */
function text(value: unknown): string | undefined {
  if (typeof value === 'string') return decodeUtf8(value);
  if (Array.isArray(value)) return value.map(text).filter(Boolean).join(', ') || undefined;
  if (typeof value === 'object' && value !== null && 'value' in value) return text(value.value);
  return typeof value === 'number' ? String(value) : undefined;
}

function list(value: unknown): string[] | undefined {
  if (value === undefined) return undefined;
  return (Array.isArray(value) ? value : [value]).map(text).filter((word) => word !== undefined);
}

/** Exif says ASCII and programs write UTF-8; the reader hands the bytes over as Latin-1 then. */
function decodeUtf8(value: string): string {
  if (!/[\u0080-\u00ff]/.test(value) || /[\u0100-\uffff]/.test(value)) return value;
  try {
    return new TextDecoder('utf-8', { fatal: true }).decode(Buffer.from(value, 'latin1'));
  } catch {
    return value;
  }
}
