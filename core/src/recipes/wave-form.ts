import type { Size } from './geometry.js';

/** The lowest and highest sample of each column, −1 to 1. */
export type WavePeaks = readonly { low: number; high: number }[];

/** Collects samples into the peaks of `columns` columns of equal duration; accepts chunks of any size. */
export class PeakGatherer {
  readonly #peaks: { low: number; high: number }[];
  readonly #perColumn: number;
  #at = 0;

  constructor(columns: number, samples: number) {
    this.#peaks = Array.from({ length: columns }, () => ({ low: 0, high: 0 }));
    this.#perColumn = Math.max(1, samples) / columns;
  }

  /** @param samples −1 to 1 */
  add(samples: ArrayLike<number>): void {
    for (let index = 0; index < samples.length; index += 1) {
      const column = this.#peaks[Math.min(this.#peaks.length - 1, Math.floor(this.#at / this.#perColumn))];
      const value = samples[index] as number;
      if (column && value < column.low) column.low = value;
      if (column && value > column.high) column.high = value;
      this.#at += 1;
    }
  }

  get peaks(): WavePeaks {
    return this.#peaks;
  }
}

/** Draws peaks as SVG: one closed path, at least one pixel high, scaled so that the loudest fills the height. */
export function drawWave(
  peaks: WavePeaks,
  { width, height }: Size,
  colour: string,
  background: string,
): string {
  const loudest = Math.max(1e-4, ...peaks.map(({ low, high }) => Math.max(-low, high)));
  const middle = height / 2;
  const reach = Math.max(0.5, middle - 1) / loudest;
  const step = width / peaks.length;
  const up = peaks.map(
    ({ high }, at) => `${fixed((at + 0.5) * step)} ${fixed(middle - Math.max(0.5, high * reach))}`,
  );
  const down = peaks.map(
    ({ low }, at) => `${fixed((at + 0.5) * step)} ${fixed(middle - Math.min(-0.5, low * reach))}`,
  );
  const ground =
    background === 'transparent' ? '' : `<rect width="100%" height="100%" ${paint(background)}/>`;
  return `<svg xmlns="http://www.w3.org/2000/svg" width="${width}" height="${height}">${ground}<path d="M${up.join('L')}L${down.reverse().join('L')}Z" ${paint(colour)}/></svg>`;
}

function paint(colour: string): string {
  if (colour === 'transparent') return 'fill="none"';
  return colour.length > 7
    ? `fill="${colour.slice(0, 7)}" fill-opacity="${fixed(Number.parseInt(colour.slice(7), 16) / 255)}"`
    : `fill="${colour}"`;
}

function fixed(value: number): string {
  return String(Math.round(value * 100) / 100);
}
