import { Noise } from './noise.js';
import { clamp01, gradient, mix, type Palette, type Rgb } from './palette.js';
import { seededRandom } from './random.js';

/** Where things are in a view; lengths are fractions of its height, from the top left. */
export interface Composition {
  width: number;
  height: number;
  horizon: number;
  /** Where the tower stands, as fractions of width and height, and how high it is, as a fraction of the height. */
  tower: { x: number; foot: number; height: number };
  side: 'left' | 'right' | 'islet';
}

/**
 * Paints sky, sea and land, pixel by pixel, as raw RGB. The tower is drawn on top by others.
 */
export function paintLandscape(view: Composition, palette: Palette, seed: number): Buffer {
  const { width, height } = view;
  const pixels = Buffer.alloc(width * height * 3);
  const sky = skyPainter(view, palette, seed);
  const sea = seaPainter(view, palette, seed);
  const land = landPainter(view, palette, seed);
  const islands = islandLine(view, seed);
  const beyond = (u: number, v: number): Rgb => {
    if (v >= view.horizon) return sea(u, v);
    // No island is higher than this.
    if (v < view.horizon - 0.14) return sky(u, v);
    if (v > islands(u, 0)) return mix(palette.haze, palette.rock, 0.42);
    return v > islands(u, 1) ? mix(palette.haze, palette.rock, 0.18) : sky(u, v);
  };
  for (let y = 0; y < height; y += 1) {
    for (let x = 0; x < width; x += 1) {
      const [u, v] = [x / width, y / height];
      const [red, green, blue] = land(u, v, x) ?? beyond(u, v);
      const offset = (y * width + x) * 3;
      pixels[offset] = toByte(red);
      pixels[offset + 1] = toByte(green);
      pixels[offset + 2] = toByte(blue);
    }
  }
  return pixels;
}

function toByte(value: number): number {
  return Math.min(255, Math.max(0, Math.round(value)));
}

function skyPainter(view: Composition, palette: Palette, seed: number): (u: number, v: number) => Rgb {
  const noise = new Noise(seed);
  const ratio = view.width / view.height;
  const stars = makeStars(view, palette, seed);
  const { disc } = palette;
  const discY = disc.y * view.horizon;
  return (u, v) => {
    const t = v / view.horizon;
    let colour = gradient(palette.sky, t ** 1.15);
    const dx = (u - disc.x) * ratio;
    const distance = Math.hypot(dx, v - discY);
    const glow = disc.glow * Math.exp(-distance * 5.5);
    colour = mix(colour, disc.colour, clamp01(glow));
    if (disc.radius > 0)
      colour = mix(colour, disc.colour, clamp01((disc.radius - distance) * view.height * 0.5 + 0.5));
    const star = stars.get(Math.round(v * view.height) * view.width + Math.round(u * view.width));
    if (star !== undefined) colour = mix(colour, [255, 255, 248], star);
    // Clouds come closer together towards the horizon, as they do under a flat ceiling.
    const depth = 1 / (1.08 - t);
    const body = noise.octaves(u * ratio * 2.2 * depth + 31, depth * 2.6, 5);
    const density = clamp01((body - (1 - palette.cover) * 0.78 - 0.08) * 4.2) * clamp01((1 - t) * 9);
    if (density <= 0) return colour;
    const light = clamp01(
      0.25 + (noise.octaves(u * ratio * 2.2 * depth + 31, depth * 2.6 - 0.18, 3) - body) * -3.2 + glow * 1.4,
    );
    return mix(colour, mix(palette.cloud, palette.cloudLit, light), density * 0.88);
  };
}

function makeStars(view: Composition, palette: Palette, seed: number): Map<number, number> {
  const stars = new Map<number, number>();
  if (palette.sky[0] === undefined || palette.sky[0][0] > 20) return stars;
  const random = seededRandom(seed + 5);
  for (let i = 0; i < 900; i += 1) {
    const x = Math.floor(random() * (view.width - 1));
    const y = Math.floor(random() ** 1.6 * view.horizon * view.height * 0.9);
    const strength = 0.25 + random() ** 3 * 0.75;
    stars.set(y * view.width + x, strength);
    if (strength > 0.8) stars.set(y * view.width + x + 1, strength * 0.6);
  }
  return stars;
}

function seaPainter(view: Composition, palette: Palette, seed: number): (u: number, v: number) => Rgb {
  const noise = new Noise(seed + 11);
  const ratio = view.width / view.height;
  const { disc } = palette;
  const lamp: Rgb = [255, 236, 178];
  return (u, v) => {
    const d = (v - view.horizon) / (1 - view.horizon);
    const far = 1 / (d * 1.15 + 0.045);
    const x = (u - 0.5) * ratio * far;
    const swell = noise.octaves(x * 0.9 + 40, far * 1.7 + 7, 4);
    const ripple = noise.octaves(x * 3.4 + 9, far * 7.5, 3);
    let colour = mix(palette.seaFar, palette.seaNear, clamp01(d ** 0.62 * 1.05));
    const height = (swell - 0.5) * 0.9 + (ripple - 0.5) * 0.75;
    const contrast = (0.35 + palette.waves * 0.75) * clamp01(d * 7 + 0.12);
    colour = mix(
      colour,
      height > 0 ? mix(palette.seaFar, palette.cloudLit, 0.35) : [4, 12, 18],
      clamp01(Math.abs(height) * contrast),
    );
    // The reflections of the sun or moon, and of the lamp, towards the viewer.
    const path = (centre: number, breadth: number) =>
      Math.exp(-(((u - centre) * ratio) ** 2) / (breadth * (0.25 + d * 1.3)) ** 2);
    const sparkle = clamp01((ripple - 0.47) * 7);
    colour = mix(
      colour,
      disc.colour,
      clamp01(path(disc.x, 0.11) * sparkle * disc.glow * (disc.radius > 0 ? 0.95 : 0.3)),
    );
    if (palette.lamp > 0)
      colour = mix(
        colour,
        lamp,
        clamp01(path(view.tower.x, 0.035) * sparkle * palette.lamp * 0.75 * (1 - d * 0.6)),
      );
    const crest = clamp01((swell * 0.62 + ripple * 0.5 - (0.86 - palette.waves * 0.2)) * 12) * clamp01(d * 4);
    return mix(colour, mix(palette.cloudLit, [255, 255, 255], 0.3), crest * 0.75 * palette.waves);
  };
}

/** The line of far islands: where they begin at each place, as a fraction of the height. */
function islandLine(view: Composition, seed: number): (u: number, layer: 0 | 1) => number {
  const noise = new Noise(seed + 23);
  return (u, layer) => {
    const rise =
      noise.octaves(u * (layer === 0 ? 5 : 3.2) + layer * 20, 3.5 + layer, 4) - (layer === 0 ? 0.56 : 0.48);
    return view.horizon - Math.max(0, rise) * (layer === 0 ? 0.16 : 0.24);
  };
}

function landPainter(
  view: Composition,
  palette: Palette,
  seed: number,
): (u: number, v: number, x: number) => Rgb | null {
  const noise = new Noise(seed + 37);
  const ratio = view.width / view.height;
  const top = new Float32Array(view.width);
  const bottom = new Float32Array(view.width);
  for (let x = 0; x < view.width; x += 1) {
    const u = x / view.width;
    const reach = landReach(view, u);
    const rough = noise.octaves(u * ratio * 7, 1.5, 5) - 0.5;
    const level = Math.abs(u - view.tower.x) * ratio < 0.07 ? 0.15 : 1;
    top[x] = view.tower.foot + (1 - reach) * 0.42 + rough * 0.075 * level;
    bottom[x] = view.horizon + 0.1 + reach * 0.16 + (noise.octaves(u * ratio * 16, 8.5, 4) - 0.5) * 0.05;
  }
  const sunSide = palette.disc.x > view.tower.x ? 1 : -1;
  return (u, v, x) => {
    const from = top[x] as number;
    const to = bottom[x] as number;
    if (v < from || v > to || from >= to) return null;
    const depth = v - from;
    const grain = noise.octaves(u * ratio * 42, v * 30, 4);
    const crag =
      noise.octaves(u * ratio * 11 + sunSide * 0.05, v * 22, 4) -
      noise.octaves(u * ratio * 11, v * 22 + 0.06, 4);
    let colour = mix(
      palette.rock,
      [palette.rock[0] * 0.35, palette.rock[1] * 0.35, palette.rock[2] * 0.4],
      clamp01(depth * 2.4 + (grain - 0.5) * 0.9),
    );
    colour = mix(colour, palette.haze, clamp01(crag * 1.6));
    const turf = clamp01((0.05 + (grain - 0.5) * 0.07 - depth) * 42);
    colour = mix(colour, mix(palette.grass, palette.haze, clamp01((grain - 0.55) * 0.8)), turf);
    // Spray where the rock meets the sea.
    const spray = clamp01((v - to + 0.012 + palette.waves * 0.014 * grain) * 70);
    return mix(colour, mix(palette.cloudLit, [255, 255, 255], 0.2), spray * (0.35 + palette.waves * 0.5));
  };
}

/** How far the land reaches up at a place: 1 under the tower, 0 where there is only sea. */
function landReach(view: Composition, u: number): number {
  const { x } = view.tower;
  const ratio = view.width / view.height;
  const away = (u - x) * ratio;
  if (view.side === 'islet') return clamp01(1 - (Math.abs(away) / 0.34) ** 2.2);
  const seaward = view.side === 'left' ? away : -away;
  return seaward < 0 ? 1 : clamp01(1 - (seaward / 0.3) ** 1.7);
}
