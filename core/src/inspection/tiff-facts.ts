import type { ByteSource } from './bytes.js';
import { TiffReader } from './tiff-directory.js';

/** How a TIFF stores its first picture. */
export interface TiffFacts {
  /** Pixels as stored, before the orientation is applied. */
  width: number;
  height: number;
  /** Exif orientation 1–8; null when it isn't stated. */
  orientation: number | null;
  pages: number;
  bitsPerChannel: number;
  /**
   * What image libraries convert for the screen only if they know of it: `lab` for 8-bit CIELAB, `numbers` for integers of more
   * than 16 bits, for double precision, and for floating-point grey, `channels` for further channels that are not the
   * transparency, such as masks and spot colours. `measurements` are signed or complex numbers, which stand for no colours. Null
   * for all others, among them floating-point RGB, which is linear light.
   */
  unusual: 'lab' | 'numbers' | 'channels' | 'measurements' | null;
  /** How many of the channels, counted from the first, are the picture: its colours, and the transparency where it is stated. */
  shownChannels: number;
}

/** Source: TIFF 6.0, section 8; section 19 for the format of samples. */
const TAGS = {
  ...{ width: 256, height: 257, bits: 258, photometric: 262, orientation: 274, samples: 277 },
  ...{ extraSamples: 338, sampleFormat: 339 },
};
/** Source: TIFF 6.0, sections 4 and 23. */
const RGB = 2;
const CIELAB = 8;
/** The channels of the colours of a picture by its photometric interpretation. Source: TIFF 6.0, sections 3 to 6, 16, 21 and 23. */
const COLOUR_CHANNELS: Readonly<Record<number, number>> = { 0: 1, 1: 1, 2: 3, 5: 4, 6: 3, 8: 3 };
/** An extra channel of any other kind is not transparency. Source: TIFF 6.0, section 18. */
const TRANSPARENCY: readonly number[] = [1, 2];
const UNSPECIFIED = 0;
/** Source: TIFF 6.0, section 19. */
const UNSIGNED = 1;
const FLOATING = 3;
const OF_MEASUREMENTS: readonly number[] = [2, 5, 6];
const MAX_PAGES = 2000;

/** Reads how a TIFF stores its first picture. @returns null when it is corrupt */
export function readTiffFacts(source: ByteSource): TiffFacts | null {
  try {
    const tiff = new TiffReader(source);
    const first = tiff.directory(tiff.first);
    const stated = (tag: number, otherwise: number) =>
      tiff.firstValue(first.entries.find((entry) => entry.tag === tag)) ?? otherwise;
    const [width, height] = [stated(TAGS.width, 0), stated(TAGS.height, 0)];
    if (width < 1 || height < 1) return null;
    const orientation = stated(TAGS.orientation, 0);
    const bitsPerChannel = stated(TAGS.bits, 1);
    const photometric = stated(TAGS.photometric, RGB);
    const channels = stated(TAGS.samples, 1);
    const ofColours = COLOUR_CHANNELS[photometric] ?? channels;
    const hasAlpha = TRANSPARENCY.includes(stated(TAGS.extraSamples, UNSPECIFIED));
    const shownChannels = Math.min(channels, ofColours + (hasAlpha ? 1 : 0));
    return {
      width,
      height,
      orientation: orientation >= 1 && orientation <= 8 ? orientation : null,
      pages: countPages(tiff),
      bitsPerChannel,
      unusual:
        unusualOf(bitsPerChannel, stated(TAGS.sampleFormat, UNSIGNED), photometric) ??
        (channels > shownChannels ? 'channels' : null),
      shownChannels,
    };
  } catch {
    return null;
  }
}

function unusualOf(bits: number, format: number, photometric: number): TiffFacts['unusual'] {
  if (photometric === CIELAB) return bits === 8 ? 'lab' : null;
  if (OF_MEASUREMENTS.includes(format)) return 'measurements';
  if (format === FLOATING) return photometric === RGB && bits <= 32 ? null : 'numbers';
  return bits > 16 ? 'numbers' : null;
}

/** Counts directories; a chain that leads back to itself ends there. */
function countPages(tiff: TiffReader): number {
  const seen = new Set<number>();
  for (let at = tiff.first; at !== 0 && !seen.has(at) && seen.size < MAX_PAGES; at = tiff.nextOf(at))
    seen.add(at);
  return seen.size;
}
