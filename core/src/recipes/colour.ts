/** A colour as sRGB values 0–255 and opacity 0–1. */
export interface Colour {
  red: number;
  green: number;
  blue: number;
  alpha: number;
}

/** Parses `#rrggbb`, `#rrggbbaa` or `transparent`, already validated with the step. */
export function parseColour(text: string): Colour {
  if (text === 'transparent') return { red: 0, green: 0, blue: 0, alpha: 0 };
  const at = (start: number) => Number.parseInt(text.slice(start, start + 2), 16);
  return { red: at(1), green: at(3), blue: at(5), alpha: text.length > 7 ? at(7) / 255 : 1 };
}
