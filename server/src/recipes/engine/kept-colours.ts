import { randomUUID } from 'node:crypto';
import { rm, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import sharp, { type Sharp } from 'sharp';
import { type Pixels, toPixels } from './pixels.js';

/** The colour profile of a source whose colours are kept: pixels are values in it. */
export interface KeptProfile {
  icc: Buffer;
  /** A temporary file with the same. */
  path: string;
}

/** What an encoder reports about a picture. */
interface Colours {
  space?: string | undefined;
  icc?: Buffer | undefined;
}

/** Types of colour whose values every browser shows by their profile; others become sRGB. */
const KEPT_SPACES: readonly (string | undefined)[] = ['srgb', 'rgb', 'rgb16'];

/** Writes the profile of a picture to a temporary file; null when its colours can't be kept, or are sRGB anyway. */
export async function keepProfile({ space, icc }: Colours): Promise<KeptProfile | null> {
  if (!icc || !KEPT_SPACES.includes(space)) return null;
  const path = join(tmpdir(), `uniferum-profile-${randomUUID()}.icc`);
  await writeFile(path, icc);
  return { icc, path };
}

export async function releaseProfile(profile: KeptProfile | null): Promise<void> {
  if (profile !== null) await rm(profile.path, { force: true });
}

/** Converts pixels from sRGB into a profile, so that they look the same there. */
export async function intoProfile(pixels: Pixels, profile: KeptProfile | null): Promise<Pixels> {
  if (profile === null) return pixels;
  const { data, width, height, channels } = pixels;
  const converted = sharp(data, { raw: { width, height, channels } }).withIccProfile(profile.path);
  const { data: values, info } = await converted.raw().toBuffer({ resolveWithObject: true });
  if (info.channels !== channels) throw new Error("its colour profile can't be used for colours of steps");
  return { data: values, width, height, channels };
}

/** A picture with a profile, as an encoder can read it: TIFF 6.0, uncompressed, with the tag of ICC.1, B.4. */
export function openWithProfile({ data, width, height, channels }: Pixels, { icc }: KeptProfile): Sharp {
  const entries: [tag: number, type: 3 | 4 | 7, count: number, value: number][] = [
    [256, 4, 1, width],
    [257, 4, 1, height],
    [258, 3, channels, 0],
    [259, 3, 1, 1],
    [262, 3, 1, 2],
    [273, 4, 1, 0],
    [277, 3, 1, channels],
    [278, 4, 1, height],
    [279, 4, 1, data.length],
    // The fourth channel is opacity, not multiplied into the others.
    ...(channels === 4 ? ([[338, 3, 1, 2]] as [number, 3, number, number][]) : []),
    [34675, 7, icc.length, 0],
  ];
  const bitsAt = 8 + 2 + entries.length * 12 + 4;
  const iccAt = bitsAt + 8;
  const pixelsAt = iccAt + icc.length + (icc.length % 2);
  const head = Buffer.alloc(pixelsAt);
  head.write('II*\0', 'latin1');
  head.writeUInt32LE(8, 4);
  head.writeUInt16LE(entries.length, 8);
  const places: Record<number, number> = { 258: bitsAt, 273: pixelsAt, 34675: iccAt };
  for (const [n, [tag, type, count, value]] of entries.entries()) {
    const at = 10 + n * 12;
    head.writeUInt16LE(tag, at);
    head.writeUInt16LE(type, at + 2);
    head.writeUInt32LE(count, at + 4);
    head.writeUInt32LE(places[tag] ?? value, at + 8);
  }
  for (let channel = 0; channel < channels; channel += 1) head.writeUInt16LE(8, bitsAt + channel * 2);
  icc.copy(head, iccAt);
  return sharp(Buffer.concat([head, data]), { limitInputPixels: false }).keepIccProfile();
}

/** Reads pixels of a picture as values in its own profile where that is kept, and as sRGB otherwise. */
export function readPixels(picture: Sharp, profile: KeptProfile | null): Promise<Pixels> {
  return toPixels(profile === null ? picture : picture.keepIccProfile());
}
