import type { TimeOfDay } from './scenario.js';

/** A colour as red, green, blue 0–255. */
export type Rgb = readonly [number, number, number];

/** The colours of a time of day. */
export interface Palette {
  /** From the zenith down to the horizon. */
  sky: readonly Rgb[];
  cloud: Rgb;
  cloudLit: Rgb;
  /** How much of the sky is covered, 0–1. */
  cover: number;
  haze: Rgb;
  seaNear: Rgb;
  seaFar: Rgb;
  rock: Rgb;
  grass: Rgb;
  /** Sun or moon: its colour, and where it stands as fractions of width and of the sky's height. */
  disc: { colour: Rgb; x: number; y: number; radius: number; glow: number };
  /** How strong the lamp shines, 0–1. */
  lamp: number;
  waves: number;
}

export const PALETTES: Record<TimeOfDay, Palette> = {
  day: {
    sky: [
      [58, 122, 178],
      [120, 172, 208],
      [190, 216, 226],
      [232, 236, 228],
    ],
    cloud: [206, 214, 220],
    cloudLit: [255, 253, 246],
    cover: 0.46,
    haze: [206, 220, 224],
    seaNear: [24, 74, 92],
    seaFar: [118, 164, 178],
    rock: [112, 100, 86],
    grass: [104, 128, 66],
    disc: { colour: [255, 250, 230], x: 0.78, y: 0.2, radius: 0.02, glow: 0.5 },
    lamp: 0,
    waves: 0.5,
  },
  dusk: {
    sky: [
      [38, 44, 84],
      [104, 78, 118],
      [214, 118, 98],
      [250, 190, 118],
    ],
    cloud: [92, 66, 96],
    cloudLit: [252, 164, 104],
    cover: 0.52,
    haze: [226, 148, 112],
    seaNear: [30, 34, 62],
    seaFar: [206, 128, 104],
    rock: [52, 42, 50],
    grass: [58, 56, 46],
    disc: { colour: [255, 206, 128], x: 0.66, y: 0.9, radius: 0.03, glow: 1 },
    lamp: 0.7,
    waves: 0.4,
  },
  storm: {
    sky: [
      [40, 48, 56],
      [66, 76, 84],
      [104, 114, 116],
      [148, 154, 148],
    ],
    cloud: [52, 60, 66],
    cloudLit: [158, 164, 160],
    cover: 0.78,
    haze: [132, 140, 138],
    seaNear: [28, 44, 48],
    seaFar: [98, 112, 112],
    rock: [48, 46, 44],
    grass: [62, 68, 48],
    disc: { colour: [196, 198, 188], x: 0.3, y: 0.5, radius: 0, glow: 0.35 },
    lamp: 0.85,
    waves: 1,
  },
  night: {
    sky: [
      [8, 12, 28],
      [14, 24, 50],
      [30, 46, 78],
      [58, 78, 106],
    ],
    cloud: [18, 26, 46],
    cloudLit: [78, 94, 120],
    cover: 0.4,
    haze: [46, 64, 92],
    seaNear: [8, 14, 28],
    seaFar: [44, 62, 90],
    rock: [16, 18, 26],
    grass: [20, 26, 28],
    disc: { colour: [236, 238, 226], x: 0.24, y: 0.22, radius: 0.016, glow: 0.55 },
    lamp: 1,
    waves: 0.35,
  },
};

export function mix(a: Rgb, b: Rgb, t: number): Rgb {
  return [a[0] + (b[0] - a[0]) * t, a[1] + (b[1] - a[1]) * t, a[2] + (b[2] - a[2]) * t];
}

/** The colour at `t` (0–1) of evenly spaced stops. */
export function gradient(stops: readonly Rgb[], t: number): Rgb {
  const place = Math.min(Math.max(t, 0), 1) * (stops.length - 1);
  const index = Math.min(Math.floor(place), stops.length - 2);
  return mix(stops[index] as Rgb, stops[index + 1] as Rgb, place - index);
}

export function clamp01(value: number): number {
  return Math.min(1, Math.max(0, value));
}
