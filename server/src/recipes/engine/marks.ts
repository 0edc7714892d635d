import { readFile } from 'node:fs/promises';
import { createRequire } from 'node:module';
import { parseColour, type WatermarkStep } from '@uniferum/core/recipes';
import { create, type Font } from 'fontkit';
import sharp from 'sharp';
import { pictureInput } from '../../inspection/picture-input.js';
import { plainReason } from '../../shared/plain-reason.js';
import { type Pixels, toPixels } from './pixels.js';

/** A watermark, if it was found. */
export interface MarkFile {
  /** The path of its bytes; null when the picture is no longer in the library. */
  path: string | null;
}

/** Renders watermarks, each once per width. */
export class Marks {
  readonly #files: Readonly<Record<string, MarkFile>>;
  readonly #made = new Map<string, Promise<Pixels>>();

  constructor(files: Readonly<Record<string, MarkFile>>) {
    this.#files = files;
  }

  /**
   * The watermark at a width, with its opacity in the alpha channel.
   *
   * @throws Error that names the picture that is missing or unreadable
   */
  read(step: WatermarkStep, widthPx: number): Promise<Pixels> {
    const key = JSON.stringify([step, widthPx]);
    const made = this.#made.get(key) ?? this.#make(step, widthPx);
    this.#made.set(key, made);
    return made;
  }

  async #make(step: WatermarkStep, widthPx: number): Promise<Pixels> {
    const picture =
      step.picture === undefined ? await drawWords(step, widthPx) : await this.#open(step.picture, widthPx);
    const pixels = await toPixels(sharp(picture).ensureAlpha());
    const opacity = step.opacity ?? 0.7;
    for (let at = 3; at < pixels.data.length; at += 4)
      pixels.data[at] = Math.round((pixels.data[at] as number) * opacity);
    return pixels;
  }

  async #open(picture: string, widthPx: number): Promise<Buffer> {
    const path = this.#files[picture]?.path;
    if (!path)
      throw new Error(
        `the watermark ${picture} is not in the library. Restore it from the bin, or choose another picture in the recipe`,
      );
    try {
      const { format, width } = await sharp(path).metadata();
      // A vector drawing is rasterised at the required size.
      const density =
        format === 'svg' && width ? Math.min(2400, Math.max(1, (72 * widthPx) / width)) : undefined;
      return await sharp(
        await pictureInput(path, format === 'svg' ? 'image/svg+xml' : ''),
        density === undefined ? {} : { density },
      )
        .autoOrient()
        .resize(widthPx)
        .png({ compressionLevel: 1 })
        .toBuffer();
    } catch (error) {
      throw new Error(`the watermark ${picture} can't be read: ${plainReason(error, [path])}`);
    }
  }
}

const EM = 1000;

/** Draws text as outlines of the font that ships with the application, so that every host draws it alike. */
async function drawWords(
  { words = '', colour = '#ffffff' }: WatermarkStep,
  widthPx: number,
): Promise<Buffer> {
  const font = await shippedFont();
  const run = font.layout(words);
  const { red, green, blue, alpha } = parseColour(colour);
  const fill = `fill="rgb(${red},${green},${blue})" fill-opacity="${alpha}"`;
  const scale = EM / font.unitsPerEm;
  const width = Math.max(1, run.advanceWidth * scale);
  const [ascent, descent] = [font.ascent * scale, -font.descent * scale];
  const height = ascent + descent;
  // A system font draws characters that the shipped one lacks.
  const isWhole = run.glyphs.every(({ id }) => id !== 0);
  let x = 0;
  const outlines = run.glyphs.map((glyph, index) => {
    const { xOffset, yOffset, xAdvance } = run.positions[index] ?? { xOffset: 0, yOffset: 0, xAdvance: 0 };
    const path = `<path transform="translate(${(x + xOffset) * scale} ${ascent - yOffset * scale}) scale(${scale} ${-scale})" d="${glyph.path.toSVG()}"/>`;
    x += xAdvance;
    return path;
  });
  const text = `<text x="0" y="${ascent}" font-family="sans-serif" font-weight="600" font-size="${EM}" textLength="${width}">${escapeXml(words)}</text>`;
  const svg = `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 ${width} ${height}" width="${widthPx}" height="${Math.max(1, Math.round((height * widthPx) / width))}"><g ${fill}>${isWhole ? outlines.join('') : text}</g></svg>`;
  return sharp(Buffer.from(svg)).png({ compressionLevel: 1 }).toBuffer();
}

let font: Promise<Font> | null = null;

function shippedFont(): Promise<Font> {
  font ??= readFile(
    createRequire(import.meta.url).resolve(
      '@fontsource/instrument-sans/files/instrument-sans-latin-600-normal.woff',
    ),
  ).then((data) => create(data) as Font);
  return font;
}

function escapeXml(text: string): string {
  return text.replaceAll('&', '&amp;').replaceAll('<', '&lt;');
}
