/**
 * Replaces blocks of `size` × `size` pixels by their mean, in place; blocks at the right and bottom edge may be
 * smaller. Transparent pixels are weighted by their opacity.
 *
 * @param pixels 8-bit, `channels` (3 or 4) values for each pixel, not premultiplied
 */
export function pixelate(
  pixels: Uint8Array,
  { width, height, channels }: { width: number; height: number; channels: number },
  size: number,
): void {
  for (let top = 0; top < height; top += size) {
    const bottom = Math.min(top + size, height);
    for (let left = 0; left < width; left += size) {
      const right = Math.min(left + size, width);
      fillBlock(pixels, { width, channels, left, top, right, bottom });
    }
  }
}

interface Block {
  width: number;
  channels: number;
  left: number;
  top: number;
  right: number;
  bottom: number;
}

function fillBlock(pixels: Uint8Array, { width, channels, left, top, right, bottom }: Block): void {
  const hasAlpha = channels === 4;
  let [red, green, blue, weight] = [0, 0, 0, 0];
  for (let y = top; y < bottom; y += 1) {
    for (let x = left; x < right; x += 1) {
      const at = (y * width + x) * channels;
      const opacity = hasAlpha ? (pixels[at + 3] as number) : 1;
      red += (pixels[at] as number) * opacity;
      green += (pixels[at + 1] as number) * opacity;
      blue += (pixels[at + 2] as number) * opacity;
      weight += opacity;
    }
  }
  const count = (right - left) * (bottom - top);
  const mean = (sum: number) => (weight === 0 ? 0 : Math.round(sum / weight));
  const values = [mean(red), mean(green), mean(blue), Math.round(weight / count)];
  for (let y = top; y < bottom; y += 1) {
    for (let x = left; x < right; x += 1) {
      const at = (y * width + x) * channels;
      for (let channel = 0; channel < channels; channel += 1)
        pixels[at + channel] = values[channel] as number;
    }
  }
}
