/** Writes a value so that the filter language takes it as one. */
export function quoteValue(value: string): string {
  return /[\s()"]/.test(value) ? `"${value.replaceAll('"', '')}"` : value;
}

/** Puts a condition into a filter, in the place of one of the same field; null takes it out. */
export function withTerm(q: string, field: string, value: string | null): string {
  const without = q
    .replace(new RegExp(`(^|\\s)${field}[:<>=]+(?:"[^"]*"|[^\\s()"]+)`, 'gi'), ' ')
    .replace(/\s+/g, ' ')
    .trim();
  return value === null ? without : `${without} ${field}:${value}`.trim();
}
