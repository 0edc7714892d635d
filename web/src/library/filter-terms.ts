/** Quotes a value for the filter language where necessary. */
export function quoteValue(value: string): string {
  return /[\s()"]/.test(value) ? `"${value.replaceAll('"', '')}"` : value;
}

/** Puts a condition into a filter, replacing one of the same field; null removes it. */
export function withTerm(q: string, field: string, value: string | null): string {
  const without = q
    .replace(new RegExp(`(^|\\s)${field}[:<>=]+(?:"[^"]*"|[^\\s()"]+)`, 'gi'), ' ')
    .replace(/\s+/g, ' ')
    .trim();
  return value === null ? without : `${without} ${field}:${value}`.trim();
}
