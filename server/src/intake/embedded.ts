import type { EmbeddedMetadata } from '@uniferum/core';
import exifr from 'exifr';
import { imageSizeFromFile } from 'image-size/fromFile';

export interface EmbeddedFacts {
  metadata: EmbeddedMetadata;
  copyright: string | null;
}

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
export async function readEmbedded(path: string): Promise<EmbeddedFacts> {
  const blocks: Record<string, Block | undefined> =
    (await exifr.parse(path, READ_OPTIONS).catch(() => undefined)) ?? {};
  const { ifd0 = {}, exif = {}, iptc = {}, dc = {}, Iptc4xmpCore: iptcCore = {} } = blocks;
  return {
    metadata: {
      dateTimeOriginal: text(exif.DateTimeOriginal),
      offsetTimeOriginal: text(exif.OffsetTimeOriginal),
      subSecTimeOriginal: text(exif.SubSecTimeOriginal),
      dateTimeDigitized: text(exif.CreateDate),
      imageDescription: text(ifd0.ImageDescription),
      artist: text(ifd0.Artist),
      title: text(dc.title) ?? text(iptc.ObjectName),
      altText: text(iptcCore.AltTextAccessibility),
      description: text(dc.description) ?? text(iptc.Caption),
      creditLine: text(iptc.Credit),
      creator: text(dc.creator) ?? text(iptc.Byline),
      keywords: list(dc.subject) ?? list(iptc.Keywords),
    },
    copyright: text(ifd0.Copyright) ?? text(dc.rights) ?? null,
  };
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
