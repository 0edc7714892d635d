import type { Region, Size } from './geometry.js';
import { roundSide } from './geometry.js';
import type { PictureStep } from './steps.js';

/** The parts of an image request in a URL, decoded. */
export interface IiifRequest {
  region: string;
  size: string;
  rotation: string;
  quality: string;
  format: string;
}

export const IIIF_FORMATS = ['jpg', 'png', 'webp', 'gif', 'avif'] as const;
export type IiifFormat = (typeof IIIF_FORMATS)[number];
export const IIIF_QUALITIES = ['default', 'color', 'gray', 'bitonal'] as const;
export type IiifQuality = (typeof IIIF_QUALITIES)[number];

/** A resolved request for a picture of a known size. */
export interface IiifImage {
  region: Region;
  size: Size;
  mirrored: boolean;
  degrees: number;
  quality: IiifQuality;
  format: IiifFormat;
  /** Whether it is larger than its source region. */
  isUpscaled: boolean;
  /** The canonical form among equivalent URLs: `full/max/0/default.jpg`. */
  canonical: string;
}

export type IiifResult =
  | { ok: true; image: IiifImage }
  | { ok: false; part: keyof IiifRequest; reason: string };

/** The maximum side of a requested picture; larger ones are available as regions. */
export const IIIF_MAX_WIDTH = 8192;
/** The maximum side to which smaller pictures, or regions of them, are enlarged. */
const ENLARGED_PX = 2048;

/** The maximum output size of a picture: its own size, or what it may be enlarged to. */
export function iiifMaxWidth({ width, height }: Size): number {
  return Math.min(IIIF_MAX_WIDTH, Math.max(ENLARGED_PX, width, height));
}

class Refusal extends Error {
  constructor(
    readonly part: keyof IiifRequest,
    readonly reason: string,
  ) {
    super(reason);
  }
}

/**
 * Parses an image request. Source: IIIF Image API 3.0, section 4 (Image Requests), with the canonical form of section
 * 4.7. All forms of region, size, rotation and quality are supported, including upscaling by `^`.
 *
 * @param picture its size in pixels, as displayed
 */
export function readIiifRequest(request: IiifRequest, picture: Size): IiifResult {
  try {
    const region = readRegion(request.region, picture);
    const { size, isUpscaled, isMax } = readSize(request.size, region, iiifMaxWidth(picture));
    const { mirrored, degrees } = readRotation(request.rotation);
    const quality = IIIF_QUALITIES.find((one) => one === request.quality);
    if (!quality)
      throw new Refusal('quality', `expected one of ${IIIF_QUALITIES.join(', ')}, got "${request.quality}"`);
    const format = IIIF_FORMATS.find((one) => one === request.format);
    if (!format)
      throw new Refusal('format', `expected one of ${IIIF_FORMATS.join(', ')}, got "${request.format}"`);
    const isFull = region.width === picture.width && region.height === picture.height;
    const canonical = [
      isFull ? 'full' : [region.left, region.top, region.width, region.height].join(','),
      `${isUpscaled ? '^' : ''}${isMax ? 'max' : `${size.width},${size.height}`}`,
      `${mirrored ? '!' : ''}${degrees}`,
      `${quality === 'color' ? 'default' : quality}.${format}`,
    ].join('/');
    return { ok: true, image: { region, size, mirrored, degrees, quality, format, isUpscaled, canonical } };
  } catch (error) {
    if (error instanceof Refusal) return { ok: false, part: error.part, reason: error.reason };
    throw error;
  }
}

/** The chain of steps for a request: region, size, mirroring, rotation, quality, in this order. */
export function iiifSteps({ region, size, mirrored, degrees, quality }: IiifImage): PictureStep[] {
  return [
    { op: 'crop', ...region },
    { op: 'fit', mode: 'fill', ...size, enlarge: true },
    ...(mirrored ? [{ op: 'flip', axis: 'horizontal' } as const] : []),
    ...(degrees % 360 === 0 ? [] : [{ op: 'rotate', degrees, background: 'transparent' } as const]),
    ...(quality === 'gray' || quality === 'bitonal' ? [{ op: 'greyscale' } as const] : []),
    // A contrast so high that only black and white remain.
    ...(quality === 'bitonal' ? [{ op: 'contrast', amount: 1000 } as const] : []),
  ];
}

/**
 * The image information document. Source: IIIF Image API 3.0, section 5 (Image Information).
 *
 * @param mayEnlarge whether the caller may request more pixels than there are
 */
export function iiifInfo(
  id: string,
  picture: Size,
  { mayEnlarge }: { mayEnlarge: boolean },
): Record<string, unknown> {
  const scales = [1, 2, 4, 8, 16].filter(
    (scale) => scale === 1 || Math.max(picture.width, picture.height) / scale >= 256,
  );
  return {
    '@context': 'http://iiif.io/api/image/3/context.json',
    id,
    type: 'ImageService3',
    protocol: 'http://iiif.io/api/image',
    profile: 'level2',
    width: picture.width,
    height: picture.height,
    maxWidth: iiifMaxWidth(picture),
    sizes: scales
      .map((scale) => ({
        width: Math.ceil(picture.width / scale),
        height: Math.ceil(picture.height / scale),
      }))
      .filter(({ width, height }) => Math.max(width, height) <= IIIF_MAX_WIDTH)
      .reverse(),
    tiles: [{ width: 512, scaleFactors: scales }],
    preferredFormats: ['webp', 'jpg'],
    extraFormats: ['webp', 'gif', 'avif'],
    extraQualities: ['color', 'gray', 'bitonal'],
    extraFeatures: [
      'canonicalLinkHeader',
      'profileLinkHeader',
      'mirroring',
      'rotationArbitrary',
      ...(mayEnlarge ? ['sizeUpscaling'] : []),
    ],
  };
}

/** Section 4.1. The part outside the picture is cut off. */
function readRegion(text: string, picture: Size): Region {
  const whole = { left: 0, top: 0, ...pick(picture) };
  if (text === 'full') return whole;
  if (text === 'square') {
    const side = Math.min(picture.width, picture.height);
    return {
      left: Math.floor((picture.width - side) / 2),
      top: Math.floor((picture.height - side) / 2),
      width: side,
      height: side,
    };
  }
  const isPercent = text.startsWith('pct:');
  const numbers = readNumbers(isPercent ? text.slice(4) : text, isPercent ? /^\d+(?:\.\d+)?$/ : /^\d+$/);
  if (numbers?.length !== 4)
    throw new Refusal('region', `expected full, square, x,y,w,h or pct:x,y,w,h, got "${text}"`);
  const [perX, perY] = isPercent ? [picture.width / 100, picture.height / 100] : [1, 1];
  const [x, y, w, h] = numbers as [number, number, number, number];
  const left = Math.round(x * perX);
  const top = Math.round(y * perY);
  const width = Math.min(Math.round(w * perX), picture.width - left);
  const height = Math.min(Math.round(h * perY), picture.height - top);
  if (w === 0 || h === 0) throw new Refusal('region', 'a region needs a width and a height above 0');
  if (width <= 0 || height <= 0)
    throw new Refusal(
      'region',
      `it is outside the picture, which is ${picture.width} × ${picture.height} pixels`,
    );
  return { left, top, width, height };
}

/** Section 4.2. */
function readSize(
  text: string,
  region: Size,
  limit: number,
): { size: Size; isUpscaled: boolean; isMax: boolean } {
  const mayEnlarge = text.startsWith('^');
  const wanted = mayEnlarge ? text.slice(1) : text;
  const size = wantedSize(wanted, region, { mayEnlarge, limit });
  if (size.width < 1 || size.height < 1) throw new Refusal('size', 'the result would be empty');
  const isLarger = size.width > region.width || size.height > region.height;
  if (isLarger && !mayEnlarge)
    throw new Refusal(
      'size',
      `it is larger than the region of ${region.width} × ${region.height}; write ^ before it to enlarge`,
    );
  if (size.width > limit || size.height > limit)
    throw new Refusal('size', `the maximum size of this picture is ${limit} × ${limit} pixels`);
  const largest = largestSize(region, { mayEnlarge: isLarger, limit });
  return {
    size,
    isUpscaled: isLarger,
    isMax: size.width === largest.width && size.height === largest.height,
  };
}

interface SizeLimits {
  mayEnlarge: boolean;
  limit: number;
}

function wantedSize(wanted: string, region: Size, { mayEnlarge, limit }: SizeLimits): Size {
  if (wanted === 'max') return largestSize(region, { mayEnlarge, limit });
  const percent = /^pct:(\d+(?:\.\d+)?)$/.exec(wanted);
  if (percent) {
    const scale = Number(percent[1]) / 100;
    return { width: Math.round(region.width * scale), height: Math.round(region.height * scale) };
  }
  const match = /^(!?)(\d*),(\d*)$/.exec(wanted);
  const [width, height] = [Number(match?.[2]), Number(match?.[3])];
  const isConfined = match?.[1] === '!';
  if (!match || (width === 0 && height === 0) || (isConfined && (width === 0 || height === 0)))
    throw new Refusal('size', `expected max, w,h, w, or ,h or !w,h or pct:n, got "${wanted}"`);
  if (isConfined) {
    const scale = Math.min(
      width / region.width,
      height / region.height,
      mayEnlarge ? Number.POSITIVE_INFINITY : 1,
    );
    return { width: roundSide(region.width * scale), height: roundSide(region.height * scale) };
  }
  if (match[2] === '') return { width: roundSide((region.width * height) / region.height), height };
  if (match[3] === '') return { width, height: roundSide((region.height * width) / region.width) };
  return { width, height };
}

function largestSize(region: Size, { mayEnlarge, limit }: SizeLimits): Size {
  const fitting = limit / Math.max(region.width, region.height);
  const scale = mayEnlarge ? fitting : Math.min(1, fitting);
  return { width: roundSide(region.width * scale), height: roundSide(region.height * scale) };
}

/** Section 4.3. */
function readRotation(text: string): { mirrored: boolean; degrees: number } {
  const match = /^(!?)(\d+(?:\.\d+)?|\.\d+)$/.exec(text);
  const degrees = Number(match?.[2]);
  if (!match || degrees > 360)
    throw new Refusal('rotation', `expected 0 to 360, with ! before it to mirror, got "${text}"`);
  return { mirrored: match[1] === '!', degrees };
}

function readNumbers(text: string, pattern: RegExp): number[] | null {
  const parts = text.split(',');
  return parts.every((part) => pattern.test(part)) ? parts.map(Number) : null;
}

function pick({ width, height }: Size): Size {
  return { width, height };
}
