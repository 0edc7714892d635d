import type { AssetTexts } from './asset.js';
import { writeTime, writeWithOffset } from './capture-time.js';

/**
 * The supported embedded fields, by standard and name: Exif (CIPA DC-008), the IPTC Photo Metadata Standard in its
 * older form (IIM) and in XMP (ISO 16684-1).
 */
export const EMBEDDED_FIELDS = [
  'xmp:title',
  'xmp:headline',
  'xmp:description',
  'xmp:altText',
  'xmp:creator',
  'xmp:credit',
  'xmp:rights',
  'xmp:subject',
  'xmp:dateCreated',
  'iptc:objectName',
  'iptc:headline',
  'iptc:caption',
  'iptc:byline',
  'iptc:credit',
  'iptc:copyright',
  'iptc:keywords',
  'iptc:dateCreated',
  'exif:imageDescription',
  'exif:artist',
  'exif:copyright',
  'exif:dateTimeOriginal',
  'exif:dateTimeDigitized',
] as const;
export type EmbeddedField = (typeof EMBEDDED_FIELDS)[number];

/** Embedded metadata as plain values. */
export type EmbeddedMetadata = Partial<Record<EmbeddedField, string | readonly string[] | undefined>> & {
  /** Exif `OffsetTimeOriginal`, as `+hh:mm`. */
  'exif:offset'?: string | undefined;
  /** Exif `SubSecTimeOriginal`: the decimal digits of the second. */
  'exif:subSecond'?: string | undefined;
};

/** The texts that metadata can fill. */
export const MAPPED_TEXTS = ['title', 'alt', 'caption', 'credit', 'keywords', 'capturedAt'] as const;
export type MappedText = (typeof MAPPED_TEXTS)[number];

/** The fields that fill each text; the first non-empty one is used. An empty list disables filling. */
export type MetadataMapping = Record<MappedText, EmbeddedField[]>;

/** The reconciliation order of the IPTC standard: XMP before IIM before Exif. Source: MWG Guidelines 2.0, section 5. */
export const DEFAULT_MAPPING: MetadataMapping = {
  title: ['xmp:title', 'iptc:objectName'],
  alt: ['xmp:altText'],
  caption: ['xmp:description', 'iptc:caption', 'exif:imageDescription'],
  credit: ['xmp:credit', 'iptc:credit', 'xmp:creator', 'iptc:byline', 'exif:artist'],
  keywords: ['xmp:subject', 'iptc:keywords'],
  capturedAt: ['exif:dateTimeOriginal', 'xmp:dateCreated', 'iptc:dateCreated', 'exif:dateTimeDigitized'],
};

/** Which fields may fill which text: a date cannot fill a title. */
export function mayFill(text: MappedText, field: EmbeddedField): boolean {
  const isDate = /date/i.test(field);
  return text === 'capturedAt' ? isDate : !isDate;
}

/** `YYYY:MM:DD hh:mm:ss` of Exif, ISO 8601 of XMP, and `YYYYMMDD hhmmss±hhmm` of IIM. */
const TIME =
  /^(\d{4})[:-]?(\d{2})[:-]?(\d{2})(?:[ T](\d{2}):?(\d{2})(?::?(\d{2}))?(?:\.(\d+))?\s*(Z|[+-]\d{2}:?\d{2})?)?/;
const OFFSET = /^([+-])(0\d|1[0-4]):?([0-5]\d)$/;

/**
 * Parses the capture time as ISO 8601 with milliseconds and the offset; null when missing or invalid. A time without an
 * offset is written as UTC, because the file has no more information. Source: Exif 2.32, tags 0x9003, 0x9011, 0x9291.
 */
export function capturedAt(
  metadata: EmbeddedMetadata,
  mapping: MetadataMapping = DEFAULT_MAPPING,
): string | null {
  for (const field of mapping.capturedAt) {
    const value = metadata[field];
    const isExif = field === 'exif:dateTimeOriginal';
    const moment =
      typeof value === 'string'
        ? readMoment(
            value,
            isExif ? metadata['exif:offset'] : undefined,
            isExif ? metadata['exif:subSecond'] : undefined,
          )
        : null;
    if (moment !== null) return moment;
  }
  return null;
}

function readMoment(value: string, offset: string | undefined, subSecond: string | undefined): string | null {
  const time = TIME.exec(value.trim());
  if (!time) return null;
  const [year, month, day, hour = '00', minute = '00', second = '00'] = time.slice(1, 7);
  const clock = `${year}-${month}-${day}T${hour}:${minute}:${second}`;
  const toTheSecond = Date.parse(`${clock}Z`);
  // Date.parse turns 31 February into March, which would be a made-up date.
  if (!writeTime(toTheSecond)?.startsWith(clock)) return null;
  const fraction = /^\d+/.exec(subSecond ?? time[7] ?? '')?.[0] ?? '0';
  const local = toTheSecond + Math.floor(Number(`0.${fraction}`) * 1000);
  const zone = readOffset(offset ?? time[8]);
  const at = writeTime(local - (zone?.minutes ?? 0) * 60_000);
  return at && writeWithOffset({ at, offset: zone?.text ?? null });
}

/** Fills texts from embedded metadata; missing ones stay null. */
export function textsFromMetadata(
  metadata: EmbeddedMetadata,
  mapping: MetadataMapping = DEFAULT_MAPPING,
): AssetTexts {
  const first = (text: 'title' | 'alt' | 'caption' | 'credit') =>
    mapping[text].map((field) => plain(metadata[field])).find((value) => value !== null) ?? null;
  const keywords =
    mapping.keywords.map((field) => words(metadata[field])).find((found) => found.length > 0) ?? [];
  return {
    title: first('title'),
    alt: first('alt'),
    caption: first('caption'),
    credit: first('credit'),
    keywords,
  };
}

/** Tells whether an Exif orientation (1–8) swaps width and height. */
export function isQuarterTurned(orientation: number | null): boolean {
  return orientation !== null && orientation >= 5 && orientation <= 8;
}

/** Reads `Z`, `+0200` and `+02:00`; null for what no place on Earth has. */
function readOffset(offset: string | undefined): { minutes: number; text: string } | null {
  if (offset === 'Z') return { minutes: 0, text: '+00:00' };
  const [, sign, hours = '', minutes = ''] = OFFSET.exec(offset ?? '') ?? [];
  if (sign === undefined) return null;
  return {
    minutes: (sign === '-' ? -1 : 1) * (Number(hours) * 60 + Number(minutes)),
    text: `${sign}${hours}:${minutes}`,
  };
}

function plain(value: string | readonly string[] | undefined): string | null {
  const trimmed = (typeof value === 'string' ? value : (value ?? []).join(', ')).trim();
  return trimmed === '' ? null : trimmed;
}

function words(value: string | readonly string[] | undefined): string[] {
  const list = typeof value === 'string' ? value.split(/[,;]/) : (value ?? []);
  return [...new Set(list.map((word) => word.trim()).filter((word) => word !== ''))];
}
