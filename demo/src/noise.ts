import { seededRandom } from './random.js';

const SIZE = 128;
const MASK = SIZE - 1;

/** Smooth noise in two dimensions, and sums of it over octaves; all values are 0–1. */
export class Noise {
  readonly #lattice = new Float32Array(SIZE * SIZE);

  constructor(seed: number) {
    const random = seededRandom(seed);
    for (let i = 0; i < this.#lattice.length; i += 1) this.#lattice[i] = random();
  }

  /** Value noise: random values on a lattice, blended with a smooth step. */
  at(x: number, y: number): number {
    const x0 = Math.floor(x);
    const y0 = Math.floor(y);
    const fx = x - x0;
    const fy = y - y0;
    const u = fx * fx * (3 - 2 * fx);
    const v = fy * fy * (3 - 2 * fy);
    const row0 = (y0 & MASK) * SIZE;
    const row1 = ((y0 + 1) & MASK) * SIZE;
    const column0 = x0 & MASK;
    const column1 = (x0 + 1) & MASK;
    const lattice = this.#lattice;
    const a = lattice[row0 + column0] as number;
    const b = lattice[row0 + column1] as number;
    const c = lattice[row1 + column0] as number;
    const d = lattice[row1 + column1] as number;
    return a + (b - a) * u + (c - a) * v + (a - b - c + d) * u * v;
  }

  /** A sum of octaves, each twice as fine and half as strong as the one before. */
  octaves(x: number, y: number, count: number): number {
    let sum = 0;
    let weight = 0.5;
    let scale = 1;
    let total = 0;
    for (let i = 0; i < count; i += 1) {
      sum += this.at(x * scale + i * 17.3, y * scale + i * 9.1) * weight;
      total += weight;
      weight *= 0.5;
      scale *= 2.03;
    }
    return sum / total;
  }
}
