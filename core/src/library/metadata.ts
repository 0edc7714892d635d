import type { AssetTexts } from './asset.js';

/** The embedded fields that are read, as plain values under the names of their standards. */
export interface EmbeddedMetadata {
  /** Exif (CIPA DC-008) `DateTimeOriginal`, as `YYYY:MM:DD hh:mm:ss`. */
  dateTimeOriginal?: string | undefined;
  /** Exif `OffsetTimeOriginal`, as `+hh:mm`. */
  offsetTimeOriginal?: string | undefined;
  /** Exif `SubSecTimeOriginal`: decimal digits after the second. */
  subSecTimeOriginal?: string | undefined;
  /** Exif `DateTimeDigitized`, used when there is no original time. */
  dateTimeDigitized?: string | undefined;
  imageDescription?: string | undefined;
  artist?: string | undefined;
  /** IPTC Photo Metadata: Title (2:05 / dc:title). */
  title?: string | undefined;
  /** IPTC Photo Metadata: Alt Text (Accessibility). */
  altText?: string | undefined;
  /** IPTC Photo Metadata: Description (2:120 / dc:description). */
  description?: string | undefined;
  /** IPTC Photo Metadata: Credit Line (2:110). */
  creditLine?: string | undefined;
  /** IPTC Photo Metadata: Creator (2:80 / dc:creator). */
  creator?: string | undefined;
  /** IPTC Photo Metadata: Keywords (2:25 / dc:subject). */
  keywords?: readonly string[] | undefined;
}

const EXIF_TIME = /^(\d{4}):(\d{2}):(\d{2})[ T](\d{2}):(\d{2}):(\d{2})/;
const EXIF_OFFSET = /^([+-])(\d{2}):(\d{2})$/;

/**
 * Reads the moment at which a picture was taken, as UTC ISO 8601 with milliseconds, or null. A time without an offset
 * is taken as UTC: the file doesn't say more. Source: Exif 2.32, tags 0x9003, 0x9011, 0x9291.
 */
export function capturedAt(metadata: EmbeddedMetadata): string | null {
  const time = EXIF_TIME.exec(metadata.dateTimeOriginal ?? metadata.dateTimeDigitized ?? '');
  if (!time) return null;
  const [year, month, day, hour, minute, second] = time.slice(1).map(Number) as [
    number,
    number,
    number,
    number,
    number,
    number,
  ];
  if (
    year < 1000 ||
    month < 1 ||
    month > 12 ||
    day < 1 ||
    day > 31 ||
    hour > 23 ||
    minute > 59 ||
    second > 59
  )
    return null;
  const fraction = /^\d+/.exec(metadata.subSecTimeOriginal ?? '')?.[0] ?? '0';
  const milliseconds = Math.floor(Number(`0.${fraction}`) * 1000);
  const local = Date.UTC(year, month - 1, day, hour, minute, second, milliseconds);
  // Date.UTC carries 31 February over into March: such a date was never taken.
  if (new Date(local).getUTCDate() !== day) return null;
  return new Date(local - offsetMinutes(metadata.offsetTimeOriginal) * 60_000).toISOString();
}

/** Fills texts from embedded metadata; what the file doesn't say stays null. */
export function textsFromMetadata(metadata: EmbeddedMetadata): AssetTexts {
  return {
    title: text(metadata.title),
    alt: text(metadata.altText),
    caption: text(metadata.description) ?? text(metadata.imageDescription),
    credit: text(metadata.creditLine) ?? text(metadata.creator) ?? text(metadata.artist),
    keywords: [
      ...new Set((metadata.keywords ?? []).map((word) => word.trim()).filter((word) => word !== '')),
    ],
  };
}

/** Tells whether an Exif orientation (1–8) turns the picture by a quarter, so that width and height change places. */
export function isQuarterTurned(orientation: number | null): boolean {
  return orientation !== null && orientation >= 5 && orientation <= 8;
}

function offsetMinutes(offset: string | undefined): number {
  const parts = EXIF_OFFSET.exec(offset ?? '');
  if (!parts) return 0;
  return (parts[1] === '-' ? -1 : 1) * (Number(parts[2]) * 60 + Number(parts[3]));
}

function text(value: string | undefined): string | null {
  const trimmed = value?.trim() ?? '';
  return trimmed === '' ? null : trimmed;
}
