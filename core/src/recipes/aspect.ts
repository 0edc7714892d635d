/** `16:9`, with decimals where a ratio needs them. */
export const ASPECT = /^(\d{1,5}(?:\.\d{1,4})?):(\d{1,5}(?:\.\d{1,4})?)$/;

/** Parses `16:9`; null when invalid or a side is 0. */
export function parseAspect(text: string): { width: number; height: number } | null {
  const match = ASPECT.exec(text);
  if (!match) return null;
  const [width, height] = [Number(match[1]), Number(match[2])];
  return width > 0 && height > 0 ? { width, height } : null;
}
