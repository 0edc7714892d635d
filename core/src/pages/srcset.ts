import type { Asset } from '../library/asset.js';

/** The attributes of an `img` element with which the browser chooses among a picture's renditions. */
export interface ImageSources {
  src: string;
  /** Empty when there is only one candidate. */
  srcset: string;
  width: number | null;
  height: number | null;
}

/** A candidate may differ from the picture's proportions by rounding only; a crop is a different picture. */
const ROUNDING_PX = 1;

/**
 * Lists the renditions that show the whole picture, smallest first, as WHATWG HTML's `srcset` with width descriptors
 * (§4.8.4.2.1), and uses the widest as `src`. URLs contain no space or comma, because they are percent-encoded.
 */
export function imageSources(asset: Pick<Asset, 'url' | 'width' | 'height' | 'renditions'>): ImageSources {
  const candidates = asset.renditions
    .filter(
      (rendition) => rendition.variant === null && rendition.url !== null && isWholePicture(asset, rendition),
    )
    .sort((a, b) => (a.width ?? 0) - (b.width ?? 0));
  const widest = candidates.at(-1);
  if (!widest) return { src: asset.url, srcset: '', width: asset.width, height: asset.height };
  return {
    src: widest.url ?? asset.url,
    srcset:
      candidates.length > 1
        ? candidates.map(({ url, width }) => `${url?.replaceAll(',', '%2C')} ${width}w`).join(', ')
        : '',
    width: widest.width,
    height: widest.height,
  };
}

/** Finds the smallest whole-picture rendition at least `heightPx` high, otherwise the largest; null when there is none. */
export function sheetRendition(
  asset: Pick<Asset, 'width' | 'height' | 'renditions'>,
  heightPx: number,
): string | null {
  const whole = asset.renditions
    .filter(
      (rendition) => rendition.url !== null && (isUnmeasured(asset) || isWholePicture(asset, rendition)),
    )
    .sort((a, b) => (a.height ?? 0) - (b.height ?? 0));
  return (whole.find(({ height }) => (height ?? 0) >= heightPx) ?? whole.at(-1))?.url ?? null;
}

/** Documents, video and audio have no pixel size of their own: any picture made from them represents them. */
function isUnmeasured({ width, height }: { width: number | null; height: number | null }): boolean {
  return width === null || height === null;
}

function isWholePicture(
  asset: { width: number | null; height: number | null },
  part: { width: number | null; height: number | null },
): boolean {
  // An unknown side is no number, and nothing is within a pixel of that.
  const [width, height] = [part.width ?? Number.NaN, part.height ?? Number.NaN];
  const ratio = (asset.height ?? Number.NaN) / (asset.width ?? Number.NaN);
  return Math.abs(width * ratio - height) <= ROUNDING_PX;
}
