/** The earliest and latest supported times. Source: MariaDB, "DATETIME": 1000-01-01 to 9999-12-31. */
export const EARLIEST_TIME = '1000-01-01T00:00:00.000Z';
export const LATEST_TIME = '9999-12-31T23:59:59.999Z';

/** Converts milliseconds since 1970 to UTC ISO 8601; null outside the supported range. */
export function writeTime(ms: number): string | null {
  return ms >= Date.parse(EARLIEST_TIME) && ms <= Date.parse(LATEST_TIME) ? new Date(ms).toISOString() : null;
}
