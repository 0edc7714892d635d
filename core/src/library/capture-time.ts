/** The earliest and latest supported times. Source: MariaDB, "DATETIME": 1000-01-01 to 9999-12-31. */
export const EARLIEST_TIME = '1000-01-01T00:00:00.000Z';
export const LATEST_TIME = '9999-12-31T23:59:59.999Z';

/** Converts milliseconds since 1970 to UTC ISO 8601; null outside the supported range. */
export function writeTime(ms: number): string | null {
  return ms >= Date.parse(EARLIEST_TIME) && ms <= Date.parse(LATEST_TIME) ? new Date(ms).toISOString() : null;
}

/** A time zone's offset from UTC: `Z` or `+02:00`. Source: RFC 3339, `time-offset`; IANA zones are within ±14 hours. */
const OFFSET = /(Z|[+-](?:0\d|1[0-4]):[0-5]\d)$/i;

/** A capture time and the offset of the place where the picture was taken; null when it isn't known. */
export interface CaptureTime {
  /** UTC, as {@link writeTime} writes it. */
  at: string;
  offset: string | null;
}

/**
 * Parses an ISO 8601 time. One without an offset is what the camera's clock showed, and is kept as if it were UTC. One in
 * UTC (`Z`) tells the moment and nothing about the place: its offset is undefined, so that a known one can remain.
 *
 * @returns null when it is not a time or outside the supported range
 */
export function parseCaptureTime(text: string): { at: string; offset: string | null | undefined } | null {
  const zone = OFFSET.exec(text)?.[1];
  const at = writeTime(Date.parse(zone || !text.includes('T') ? text : `${text}Z`));
  if (at === null) return null;
  return { at, offset: zone === undefined ? null : /z/i.test(zone) ? undefined : zone };
}

/** Writes a moment with its offset, so that {@link parseCaptureTime} reads both; with no known offset as UTC. */
export function writeWithOffset({ at, offset }: CaptureTime): string {
  return offset === null ? at : `${clockOf({ at, offset }).slice(0, -1)}${offset}`;
}

/** What the camera's clock showed, to the second, with the offset where that is known: `2025-09-14T18:30:00+02:00`. */
export function writeLocalTime({ at, offset }: CaptureTime): string {
  return `${clockOf({ at, offset }).slice(0, 19)}${offset ?? ''}`;
}

function clockOf({ at, offset }: CaptureTime): string {
  return new Date(Date.parse(at) + (offset === null ? 0 : minutesOf(offset) * 60_000)).toISOString();
}

/** Moves a time that {@link writeWithOffset} wrote, and keeps its offset; null outside the supported range. */
export function shiftTime(time: string, minutes: number): string | null {
  const parsed = parseCaptureTime(time);
  const at = parsed && writeTime(Date.parse(parsed.at) + minutes * 60_000);
  return at && writeWithOffset({ at, offset: parsed.offset ?? null });
}

/** The minutes that an offset lies ahead of UTC. */
function minutesOf(offset: string): number {
  const [hours, minutes] = offset.slice(1).split(':').map(Number) as [number, number];
  return (offset.startsWith('-') ? -1 : 1) * (hours * 60 + minutes);
}
