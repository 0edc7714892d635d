/** Grey values 0–255, row by row. */
export interface GreyPicture {
  data: ArrayLike<number>;
  width: number;
  height: number;
}

const WINDOW = 11;
const SIGMA = 1.5;
const C1 = (0.01 * 255) ** 2;
const C2 = (0.03 * 255) ** 2;
/** Pictures are downsampled until their shorter side is close to this; the index was calibrated for that viewing distance. */
const VIEWING_SIDE = 256;

const GAUSSIAN = (() => {
  const values = Array.from({ length: WINDOW }, (_, at) =>
    Math.exp(-((at - (WINDOW - 1) / 2) ** 2) / (2 * SIGMA ** 2)),
  );
  const sum = values.reduce((total, value) => total + value, 0);
  return Float64Array.from(values, (value) => value / sum);
})();

/**
 * Computes the mean structural similarity of two pictures of the same size: 1 for identical ones, about 0.99 and more
 * where no difference is visible. Source: Z. Wang, A. C. Bovik, H. R. Sheikh, E. P. Simoncelli, "Image Quality
 * Assessment: From Error Visibility to Structural Similarity", IEEE Trans. Image Processing 13 (2004), section III.B,
 * equation 13, with its 11 × 11 Gaussian window of standard deviation 1.5, K1 = 0.01, K2 = 0.03, and the authors'
 * advice to downsample by `round(shorter side / 256)` first.
 *
 * @throws RangeError when the sizes differ
 */
export function structuralSimilarity(a: GreyPicture, b: GreyPicture): number {
  if (a.width !== b.width || a.height !== b.height)
    throw new RangeError(
      `Expected two pictures of one size, got ${a.width} × ${a.height} and ${b.width} × ${b.height}`,
    );
  const factor = Math.max(1, Math.round(Math.min(a.width, a.height) / VIEWING_SIDE));
  const [x, y] = [averageDown(a, factor), averageDown(b, factor)];
  if (x.width < WINDOW || x.height < WINDOW) return globalSimilarity(x.data, y.data);
  const product = (p: Float64Array, q: Float64Array) => p.map((value, at) => value * (q[at] as number));
  const [meanX, meanY] = [smooth(x, x.data), smooth(x, y.data)];
  const [squareX, squareY] = [smooth(x, product(x.data, x.data)), smooth(x, product(y.data, y.data))];
  const cross = smooth(x, product(x.data, y.data));
  let sum = 0;
  for (let at = 0; at < meanX.length; at += 1)
    sum += similarity(
      meanX[at] as number,
      meanY[at] as number,
      squareX[at] as number,
      squareY[at] as number,
      cross[at] as number,
    );
  return sum / meanX.length;
}

/** Rec. ITU-R BT.601 luma of 8-bit pixels; transparency is composited on white. */
export function toGrey(
  pixels: ArrayLike<number>,
  { width, height, channels }: { width: number; height: number; channels: number },
): GreyPicture {
  const data = new Float64Array(width * height);
  for (let at = 0; at < data.length; at += 1) {
    const from = at * channels;
    const luma =
      channels < 3
        ? (pixels[from] as number)
        : 0.299 * (pixels[from] as number) +
          0.587 * (pixels[from + 1] as number) +
          0.114 * (pixels[from + 2] as number);
    const opacity = channels === 4 ? (pixels[from + 3] as number) / 255 : 1;
    data[at] = luma * opacity + 255 * (1 - opacity);
  }
  return { data, width, height };
}

function similarity(meanX: number, meanY: number, squareX: number, squareY: number, cross: number): number {
  const varianceX = squareX - meanX * meanX;
  const varianceY = squareY - meanY * meanY;
  const covariance = cross - meanX * meanY;
  return (
    ((2 * meanX * meanY + C1) * (2 * covariance + C2)) /
    ((meanX * meanX + meanY * meanY + C1) * (varianceX + varianceY + C2))
  );
}

/** For pictures smaller than the window: one window with equal weights. */
function globalSimilarity(x: Float64Array, y: Float64Array): number {
  const mean = (values: Float64Array, others: Float64Array | null) =>
    values.reduce((sum, value, at) => sum + value * (others ? (others[at] as number) : 1), 0) / values.length;
  return similarity(mean(x, null), mean(y, null), mean(x, x), mean(y, y), mean(x, y));
}

interface Plane {
  data: Float64Array;
  width: number;
  height: number;
}

function averageDown({ data, width, height }: GreyPicture, factor: number): Plane {
  if (factor === 1) return { data: Float64Array.from(data), width, height };
  const [w, h] = [Math.floor(width / factor), Math.floor(height / factor)];
  const out = new Float64Array(w * h);
  for (let y = 0; y < h * factor; y += 1) {
    const row = Math.floor(y / factor) * w;
    for (let x = 0; x < w * factor; x += 1) {
      const at = row + Math.floor(x / factor);
      out[at] = (out[at] as number) + (data[y * width + x] as number);
    }
  }
  return { data: out.map((sum) => sum / (factor * factor)), width: w, height: h };
}

/** Convolves with the Gaussian where the whole window fits, rows first and then columns. */
function smooth({ width, height }: { width: number; height: number }, data: Float64Array): Float64Array {
  const w = width - WINDOW + 1;
  const h = height - WINDOW + 1;
  const rows = new Float64Array(w * height);
  for (let y = 0; y < height; y += 1) {
    for (let x = 0; x < w; x += 1) {
      let sum = 0;
      for (let k = 0; k < WINDOW; k += 1)
        sum += (GAUSSIAN[k] as number) * (data[y * width + x + k] as number);
      rows[y * w + x] = sum;
    }
  }
  const out = new Float64Array(w * h);
  for (let y = 0; y < h; y += 1) {
    for (let x = 0; x < w; x += 1) {
      let sum = 0;
      for (let k = 0; k < WINDOW; k += 1) sum += (GAUSSIAN[k] as number) * (rows[(y + k) * w + x] as number);
      out[y * w + x] = sum;
    }
  }
  return out;
}
