const UNITS = ['bytes', 'kB', 'MB', 'GB', 'TB'] as const;

/** Formats a size in powers of 1,000 with three significant digits: `1 byte`, `266 kB`, `6.21 MB`. */
export function formatBytes(bytes: number): string {
  if (bytes === 1) return '1 byte';
  let value = bytes;
  let unit = 0;
  while (value >= 999.5 && unit < UNITS.length - 1) {
    value /= 1000;
    unit += 1;
  }
  const figures = unit === 0 ? value : Number(value.toPrecision(3));
  return `${figures} ${UNITS[unit]}`;
}

/** Formats a size and the limit that it exceeds; in bytes where both would look the same. */
export function formatBeyond(bytes: number, limit: number): { actual: string; allowed: string } {
  const [actual, allowed] = [formatBytes(bytes), formatBytes(limit)];
  if (actual !== allowed) return { actual, allowed };
  return { actual: formatCount(bytes, 'byte'), allowed: formatCount(limit, 'byte') };
}

/** Formats a count: `1 file`, `12,000 files`. */
export function formatCount(count: number, one: string, many = `${one}s`): string {
  return `${count.toLocaleString('en-GB')} ${count === 1 ? one : many}`;
}
