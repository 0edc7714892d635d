import sharp, { type Sharp } from 'sharp';
import { type Composition, paintLandscape } from './landscape.js';
import { PALETTES } from './palette.js';
import { seededRandom } from './random.js';
import type { Light, TimeOfDay } from './scenario.js';
import { drawTower } from './tower.js';

export interface View {
  light: Light;
  time: TimeOfDay;
  width: number;
  height: number;
  seed: number;
  /** How large the tower stands in the picture. */
  closeness: 'far' | 'near';
}

/** The landscape is soft by nature: painted at this scale and enlarged, it takes a sixth of the time. */
const LANDSCAPE_SCALE = 0.4;

/** Paints a view of a lighthouse; the same view always gives the same pixels. */
export async function paintView(view: View): Promise<Sharp> {
  const palette = PALETTES[view.time];
  const full = compose(view);
  const small = {
    ...full,
    width: Math.round(view.width * LANDSCAPE_SCALE),
    height: Math.round(view.height * LANDSCAPE_SCALE),
  };
  const landscape = sharp(paintLandscape(small, palette, view.seed), {
    raw: { width: small.width, height: small.height, channels: 3 },
  });
  const enlarged = await landscape
    .resize(view.width, view.height, { fit: 'fill', kernel: 'mitchell' })
    .raw()
    .toBuffer();
  const tower = Buffer.from(drawTower(full, palette, view.light.look, view.seed));
  const { data, info } = await sharp(enlarged, {
    raw: { width: view.width, height: view.height, channels: 3 },
  })
    .composite([{ input: tower }])
    .removeAlpha()
    .raw()
    .toBuffer({ resolveWithObject: true });
  addGrain(data, view.seed, view.time === 'night' || view.time === 'storm' ? 7 : 4);
  return sharp(data, { raw: { width: info.width, height: info.height, channels: 3 } });
}

function compose({ light, width, height, seed, closeness }: View): Composition {
  const random = seededRandom(seed + 1);
  const { side } = light.look;
  const isTall = height > width;
  const x =
    side === 'left'
      ? 0.26 + random() * 0.08
      : side === 'right'
        ? 0.66 + random() * 0.08
        : 0.4 + random() * 0.2;
  const size = (closeness === 'near' ? 0.36 : 0.26) + light.heightMetres * 0.0028;
  const horizon = isTall ? 0.66 : 0.6;
  return {
    width,
    height,
    horizon,
    side,
    tower: { x, foot: horizon - 0.05 + random() * 0.03, height: size },
  };
}

/** Film grain, so that even a clear sky has something to compress. */
function addGrain(pixels: Buffer, seed: number, strength: number): void {
  let state = (seed * 2654435761) >>> 0 || 1;
  for (let i = 0; i < pixels.length; i += 3) {
    state ^= state << 13;
    state ^= state >>> 17;
    state ^= state << 5;
    const grain = (((state >>> 0) & 1023) / 1023 - 0.5) * strength * 2;
    for (let c = 0; c < 3; c += 1) {
      pixels[i + c] = Math.min(255, Math.max(0, (pixels[i + c] as number) + grain));
    }
  }
}
