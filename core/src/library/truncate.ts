/** Truncates a text to a number of UTF-16 code units, without splitting a surrogate pair. */
export function truncate(text: string, length: number): string {
  return text.length <= length ? text : text.slice(0, length).replace(/\p{Cs}$/u, '');
}
