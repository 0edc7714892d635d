import { writeTime, writeWithOffset } from '../library/capture-time.js';

const DATE =
  /^(\d{4})[-:/.](\d{2})[-:/.](\d{2})(?:[T ](\d{2}):(\d{2})(?::(\d{2}))?(?:\.\d+)?\s*(Z|[+-]\d{2}:?\d{2})?)?$/;

/** Reads ISO 8601 and Exif dates as UTC, or with the offset that they state; null when empty, `none` when it is not a date. */
export function readDate(text: string): string | null | 'none' {
  if (text === '') return null;
  const parts = DATE.exec(text);
  if (!parts) return 'none';
  const [, year, month, day, hour = '00', minute = '00', second = '00', zone = 'Z'] = parts;
  const offset = zone === 'Z' ? zone : zone.replace(/^([+-]\d{2}):?(\d{2})$/, '$1:$2');
  const ms = Date.parse(`${year}-${month}-${day}T${hour}:${minute}:${second}${offset}`);
  const isReal =
    !Number.isNaN(ms) &&
    new Date(Date.UTC(Number(year), Number(month) - 1, Number(day))).getUTCDate() === Number(day);
  const at = isReal ? writeTime(ms) : null;
  return at === null ? 'none' : writeWithOffset({ at, offset: zone === 'Z' ? null : offset });
}
