import { open } from 'node:fs/promises';
import {
  isAnimatedPng,
  type PictureNote,
  type StatedRights,
  type TiffFacts,
} from '@uniferum/core/inspection';
import type { EmbeddedMetadata } from '@uniferum/core/library';
import { CONVERTED_MIMES } from '@uniferum/core/recipes';
import readExif from 'exif-reader';
import sharp from 'sharp';
import { CAMERA_RAW, readConvertedSize, readPreview, readToolBlocks } from './converted.js';
import { tiffFacts, withSource } from './file-source.js';
import { decodeText, IIM, readIim } from './iim.js';
import { pictureInput } from './picture-input.js';
import { MissingToolError } from './tool.js';
import { readXmp, XMP_NAMESPACES, type XmpProperties } from './xmp.js';

/** A picture's size as displayed, and the Exif orientation of its stored bytes. */
export interface PictureSize {
  width: number;
  height: number;
  orientation: number | null;
}

/** The embedded metadata blocks of a picture, as stored in the file. */
export interface EmbeddedBlocks {
  exif: Uint8Array | null;
  iim: Uint8Array | null;
  xmp: Uint8Array | null;
}

/** The header of a picture. */
export interface PictureHeader {
  /** Null when nothing in it can be shown, or the tool that reads its type is missing. */
  size: PictureSize | null;
  /** The number of frames or pages. */
  pages: number;
  notes: PictureNote[];
  blocks: EmbeddedBlocks;
}

/** In a TIFF file, the file's own tags are its Exif data; those of large files are skipped. */
const MAX_TIFF_BYTES = 128_000_000;

const NO_BLOCKS: EmbeddedBlocks = { exif: null, iim: null, xmp: null };

/** Reads a picture's header without decoding pixels. @throws Error when there is no readable header */
export async function readHeader(path: string, mime: string): Promise<PictureHeader> {
  // The image engine reads the header of a HEIC, though not its pixels.
  if (!CONVERTED_MIMES.includes(mime) || mime === 'image/heic') return readOwnHeader(path, mime);
  try {
    return mime === CAMERA_RAW ? await readRawHeader(path) : await readToolHeader(path, mime);
  } catch (error) {
    if (!(error instanceof MissingToolError)) throw error;
    return { size: null, pages: 1, notes: [], blocks: NO_BLOCKS };
  }
}

async function readToolHeader(path: string, mime: string): Promise<PictureHeader> {
  const { width, height, isDeep } = await readConvertedSize(path, mime);
  const blocks = await readToolBlocks(path);
  return { size: { width, height, orientation: null }, pages: 1, notes: isDeep ? ['deep'] : [], blocks };
}

/** Of a camera raw file, its preview is shown; what it was taken with is in the file around it. */
async function readRawHeader(path: string): Promise<PictureHeader> {
  const [preview, blocks] = [await readPreview(path), await readToolBlocks(path)];
  const exif = blocks.exif ?? (await readSmallFile(path));
  const { exif: ofPreview } = preview ? await sharp(preview.data).metadata() : {};
  const all = { ...blocks, exif: isTiff(exif) ? exif : (ofPreview ?? null) };
  if (preview === null) return { size: null, pages: 1, notes: ['no-preview'], blocks: all };
  const { width, height } = preview;
  return { size: { width, height, orientation: null }, pages: 1, notes: [], blocks: all };
}

function isTiff(block: Uint8Array | null): boolean {
  const mark = block === null ? '' : Buffer.from(block.subarray(0, 4)).toString('latin1');
  return mark === 'II*\0' || mark === 'MM\0*';
}

/** The image engine reads the header of such a TIFF wrongly, or not at all. */
async function readUnusualTiff(path: string, facts: TiffFacts): Promise<PictureHeader> {
  const { width, height, orientation, pages, bitsPerChannel, unusual } = facts;
  const isOnItsSide = orientation !== null && orientation >= 5;
  const size = isOnItsSide ? { width: height, height: width } : { width, height };
  const { iim, xmp } = await readToolBlocks(path).catch(orNone);
  return {
    size: { ...size, orientation },
    pages,
    notes: unusual === 'measurements' ? ['measurements'] : bitsPerChannel > 8 ? ['deep'] : [],
    blocks: { exif: await readSmallFile(path), iim, xmp },
  };
}

function orNone(error: unknown): EmbeddedBlocks {
  if (error instanceof MissingToolError) return NO_BLOCKS;
  throw error;
}

async function readOwnHeader(path: string, mime: string): Promise<PictureHeader> {
  const facts = tiffFacts(path, mime);
  if (facts?.unusual) return readUnusualTiff(path, facts);
  const {
    autoOrient,
    orientation,
    pages = 1,
    depth,
    exif,
    iptc,
    xmp,
  } = await sharp(await pictureInput(path, mime), {
    limitInputPixels: false,
    failOn: 'none',
    unlimited: true,
  }).metadata();
  const { width, height } = autoOrient;
  if (!(width > 0 && height > 0)) throw new Error('its header states no size');
  return {
    size: { width, height, orientation: orientation ?? null },
    pages,
    notes: [
      ...(mime === 'image/png' && withSource(path, isAnimatedPng) ? ['animated-png' as const] : []),
      ...(depth !== undefined && DEEP.has(depth) ? ['deep' as const] : []),
    ],
    blocks: {
      exif: exif ?? (mime === 'image/tiff' ? await readSmallFile(path) : null),
      iim: iptc ?? null,
      xmp: xmp ?? null,
    },
  };
}

/** How the image engine calls numbers of more than 8 bits. */
const DEEP = new Set(['ushort', 'short', 'uint', 'int', 'float', 'double']);

async function readSmallFile(path: string): Promise<Buffer | null> {
  const file = await open(path, 'r');
  try {
    return (await file.stat()).size <= MAX_TIFF_BYTES ? await file.readFile() : null;
  } finally {
    await file.close();
  }
}

/** Reads the Exif, IIM and XMP fields that can fill texts. */
export function readMetadata({ exif, iim, xmp }: EmbeddedBlocks): EmbeddedMetadata {
  return {
    ...(xmp && xmpFields(readXmp(xmp))),
    ...(iim && iimFields(readIim(iim))),
    ...(exif && exifFields(exif)),
  };
}

/** Reads rights information from whichever metadata block has it. */
export function readStatedRights({ exif, iim, xmp }: EmbeddedBlocks): StatedRights {
  const embedded = readMetadata({ exif, iim, xmp });
  const properties = xmp && readXmp(xmp);
  const first = (...fields: (keyof EmbeddedMetadata)[]) => {
    const found = fields.map((field) => embedded[field]).find((value) => typeof value === 'string');
    return typeof found === 'string' && found !== '' ? found : null;
  };
  return {
    artist: first('exif:artist', 'xmp:creator', 'iptc:byline'),
    copyright: first('exif:copyright', 'xmp:rights', 'iptc:copyright'),
    credit: first('xmp:credit', 'iptc:credit'),
    usageTerms: properties?.text(XMP_NAMESPACES.xmpRights, 'UsageTerms') ?? null,
    webStatement:
      properties?.text(XMP_NAMESPACES.xmpRights, 'WebStatement') ??
      properties?.text(XMP_NAMESPACES.licence, 'license') ??
      null,
    isMarked: readFlag(properties?.text(XMP_NAMESPACES.xmpRights, 'Marked')),
  };
}

/** Source: ISO 16684-1, 8.2.1.1 (Boolean); some programs write them in lower case. */
function readFlag(text: string | null | undefined): boolean | null {
  const flag = text?.toLowerCase();
  return flag === 'true' ? true : flag === 'false' ? false : null;
}

function xmpFields(xmp: XmpProperties): EmbeddedMetadata {
  const { dc, iptcCore, press } = XMP_NAMESPACES;
  const subject = xmp.list(dc, 'subject');
  return {
    'xmp:title': xmp.text(dc, 'title'),
    'xmp:headline': xmp.text(press, 'Headline'),
    'xmp:description': xmp.text(dc, 'description'),
    'xmp:altText': xmp.text(iptcCore, 'AltTextAccessibility'),
    'xmp:creator': xmp.text(dc, 'creator'),
    'xmp:credit': xmp.text(press, 'Credit'),
    'xmp:rights': xmp.text(dc, 'rights'),
    'xmp:subject': subject.length > 0 ? subject : undefined,
    'xmp:dateCreated': xmp.text(press, 'DateCreated') ?? xmp.text(XMP_NAMESPACES.xmp, 'CreateDate'),
  };
}

function iimFields(iim: Map<number, string[]>): EmbeddedMetadata {
  const first = (dataset: number) => iim.get(dataset)?.[0];
  return {
    'iptc:objectName': first(IIM.objectName),
    'iptc:headline': first(IIM.headline),
    'iptc:caption': first(IIM.caption),
    'iptc:byline': iim.get(IIM.byline)?.join(', '),
    'iptc:credit': first(IIM.credit),
    'iptc:copyright': first(IIM.copyright),
    'iptc:keywords': iim.get(IIM.keywords),
    'iptc:dateCreated':
      [first(IIM.dateCreated), first(IIM.timeCreated)].filter(Boolean).join(' ') || undefined,
  };
}

function exifFields(block: Uint8Array): EmbeddedMetadata {
  const { Image, Photo } = parseExif(block);
  return {
    'exif:imageDescription': plain(Image?.ImageDescription),
    'exif:artist': plain(Image?.Artist),
    'exif:copyright': plain(Image?.Copyright),
    'exif:dateTimeOriginal': plain(Photo?.DateTimeOriginal),
    'exif:dateTimeDigitized': plain(Photo?.DateTimeDigitized),
    'exif:offset': plain(Photo?.OffsetTimeOriginal),
    'exif:subSecond': plain(Photo?.SubSecTimeOriginal),
  };
}

function parseExif(block: Uint8Array): Partial<Record<'Image' | 'Photo', Record<string, unknown> | null>> {
  try {
    return readExif(Buffer.from(block)) as never;
  } catch {
    // A corrupt block counts as empty.
    return {};
  }
}

/** Reads texts, and the raw bytes of non-ASCII ones; the parser treats times without a zone as UTC. */
function plain(value: unknown): string | undefined {
  if (typeof value === 'string') return value.replace(/\0+$/, '');
  if (value instanceof Uint8Array) return decodeText(value);
  if (value instanceof Date && !Number.isNaN(value.getTime()))
    return value.toISOString().slice(0, 19).replaceAll('-', ':').replace('T', ' ');
  return undefined;
}
