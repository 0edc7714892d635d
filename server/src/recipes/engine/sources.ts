import { randomUUID } from 'node:crypto';
import { rm, stat, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { TiffFacts } from '@uniferum/core/inspection';
import type { Kind } from '@uniferum/core/library';
import { CONVERTED_MIMES, drawWave, PeakGatherer, type SourceStep } from '@uniferum/core/recipes';
import sharp from 'sharp';
import { convertPicture, convertTiff, NoPreviewError } from '../../inspection/converted.js';
import { readHeader } from '../../inspection/embedded.js';
import { endsEarly, tiffFacts } from '../../inspection/file-source.js';
import { pictureInput } from '../../inspection/picture-input.js';
import { endOfTool, runTool, startTool } from '../../inspection/tool.js';

const WAVE_RATE = 8000;

/**
 * The only input read for audio or video: this one file, in these containers only. A playlist disguised as a video
 * could name other files and URLs.
 */
const ONLY_THIS_FILE = [
  ['-protocol_whitelist', 'file'],
  ['-format_whitelist', 'mov,mp4,m4a,matroska,webm,avi,ogg,mp3,wav,flac,aac,aiff,mpeg,mpegts,mpegvideo'],
].flat();

/** A file that can be turned into a picture. */
export interface SourceFile {
  path: string;
  kind: Kind;
  mime: string;
}

/** A picture file that the image engine decodes. */
export interface PictureFile {
  path: string;
  input: string | Buffer;
  /** The type of the file that it was made from, which decides the type of renditions. */
  mime: string;
  /** From 0, for a file of several pages. */
  page: number;
  /** More than 1 for an animation. */
  frames: number;
  /** `none` for a truncated one, which browsers show as far as it goes; anything else that is broken is refused. */
  failOn: 'error' | 'none';
  /** Removes temporary files. */
  release(): Promise<void>;
}

/**
 * Makes a picture of another kind of file: a page of a document, a frame of a video, the wave form of a sound.
 *
 * @throws Error that says what is wrong with the file, or which Debian package the worker needs
 */
export async function openSource(
  file: SourceFile,
  step: SourceStep | null,
  maxPixels: number,
): Promise<PictureFile> {
  if (file.kind === 'video') return openMoment(file, step?.op === 'moment' ? step.at : undefined);
  if (file.kind === 'audio') return openWave(file, step?.op === 'wave' ? step : { op: 'wave' });
  if (file.mime === 'application/pdf') {
    const { page = 1, dpi = 150 } = step?.op === 'page' ? step : {};
    return openPage(file, page, dpi);
  }
  if (CONVERTED_MIMES.includes(file.mime)) return openConverted(file, maxPixels, convertPicture);
  const tiff = tiffFacts(file.path, file.mime);
  if (tiff?.unusual) return openUnusualTiff(file, tiff, pageOf(step), maxPixels);
  const failOn = endsEarly(file.path, file.mime) ? 'none' : 'error';
  const input = await pictureInput(file.path, file.mime);
  return { ...still(file.path, file.mime, failOn), input, ...(await pagesOf(file, step)) };
}

/** The file is valid, but lacks the page or moment that a recipe uses. */
export class DoesNotApplyError extends Error {}

function still(path: string, mime: string, failOn: PictureFile['failOn'] = 'error'): PictureFile {
  return { path, input: path, mime, failOn, page: 0, frames: 1, release: async () => {} };
}

/** Types whose pictures are frames of an animation; those of other types are pages. */
const ANIMATIONS = new Set(['image/gif', 'image/webp']);

async function pagesOf(
  { path, mime }: SourceFile,
  step: SourceStep | null,
): Promise<Pick<PictureFile, 'page' | 'frames'>> {
  const page = pageOf(step);
  if (page === 1 && !ANIMATIONS.has(mime)) return { page: 0, frames: 1 };
  const { pages = 1 } = await sharp(path, { failOn: 'none', limitInputPixels: false }).metadata();
  if (!ANIMATIONS.has(mime))
    return { page: requirePage(page, mime === 'image/tiff' ? pages : 1) - 1, frames: 1 };
  requirePage(page, 1);
  return { page: 0, frames: pages };
}

/** From 1. */
function pageOf(step: SourceStep | null): number {
  return step?.op === 'page' ? (step.page ?? 1) : 1;
}

/** @throws DoesNotApplyError */
function requirePage(page: number, pages: number): number {
  if (page <= pages) return page;
  throw new DoesNotApplyError(
    `it has ${pages} ${pages === 1 ? 'page' : 'pages'}, but the recipe uses page ${page}`,
  );
}

async function openUnusualTiff(
  file: SourceFile,
  facts: TiffFacts,
  page: number,
  maxPixels: number,
): Promise<PictureFile> {
  if (facts.unusual === 'measurements')
    throw new DoesNotApplyError(
      "it contains signed or complex numbers, and doesn't say which colours they represent",
    );
  requirePage(page, facts.pages);
  return openConverted(file, maxPixels, (path) => convertTiff(path, facts, page - 1));
}

async function openConverted(
  { path, mime }: SourceFile,
  maxPixels: number,
  convert: typeof convertPicture,
): Promise<PictureFile> {
  const { size } = await readHeader(path, mime);
  // Of one that is decoded by another program, that program does not know the limit.
  if (size && size.width * size.height > maxPixels)
    throw new Error(`it has ${size.width * size.height} pixels; at most ${maxPixels} are decoded`);
  try {
    const made = await convert(path, mime);
    return { ...still(made.path, mime), release: made.release };
  } catch (error) {
    if (error instanceof NoPreviewError) throw new DoesNotApplyError(error.message);
    throw error;
  }
}

/** The duration of audio or video in seconds; null when unknown. */
export async function readDuration(path: string): Promise<number | null> {
  const probed = await probe(path).catch(() => null);
  const seconds = Number(probed?.format?.duration);
  return Number.isFinite(seconds) && seconds > 0 ? Math.round(seconds * 1000) / 1000 : null;
}

async function openPage(file: SourceFile, page: number, dpi: number): Promise<PictureFile> {
  const overview = await runTool('pdfinfo', [file.path], 'poppler-utils');
  const pages = Number(/^Pages:\s+(\d+)/m.exec(overview)?.[1] ?? 0);
  requirePage(page, pages);
  const range = ['-f', String(page), '-l', String(page)];
  const info = await runTool('pdfinfo', [...range, file.path], 'poppler-utils');
  const match = /^Page\s+\d+ size:\s+([\d.]+) x ([\d.]+)/m.exec(info);
  const turn = Number(/^Page\s+\d+ rot:\s+(\d+)/m.exec(info)?.[1] ?? 0);
  if (!match) throw new Error(`the size of page ${page} can't be read`);
  const points = [Number(match[1]), Number(match[2])] as const;
  const [width = 0, height = 0] = (turn % 180 === 0 ? points : [points[1], points[0]]).map((side) =>
    Math.max(1, Math.round((side * dpi) / 72)),
  );
  if (width * height > 100_000_000)
    throw new Error(`page ${page} would have ${width} × ${height} pixels; choose a lower resolution`);
  const stem = temporary();
  const scaled = ['-scale-to-x', String(width), '-scale-to-y', String(height)];
  await runTool('pdftoppm', [...range, '-singlefile', '-png', ...scaled, file.path, stem], 'poppler-utils');
  return temporaryPicture(`${stem}.png`);
}

async function openMoment(file: SourceFile, at: number | undefined): Promise<PictureFile> {
  const probed = await probe(file.path);
  const stream = probed.streams?.find(({ codec_type }) => codec_type === 'video');
  if (!stream) throw new Error('it contains no video');
  const duration = Number(probed.format?.duration ?? stream.duration);
  const second = at ?? (Number.isFinite(duration) ? duration / 10 : 0);
  if (Number.isFinite(duration) && second > duration)
    throw new DoesNotApplyError(
      `it is ${duration.toFixed(1)} s long, but the recipe uses the frame at ${second} s`,
    );
  const path = `${temporary()}.png`;
  await runTool(
    'ffmpeg',
    [
      ...['-v', 'error', '-nostdin', '-threads', '2', ...ONLY_THIS_FILE, '-ss', String(second)],
      ...['-i', file.path, '-frames:v', '1', '-y', path],
    ],
    'ffmpeg',
  );
  // The end of a video may lie after its last frame.
  if ((await stat(path).catch(() => null)) === null) throw new Error(`there is no picture at ${second} s`);
  return temporaryPicture(path);
}

async function openWave(
  file: SourceFile,
  {
    width = 1200,
    height = 240,
    colour = '#8a3a25',
    background = 'transparent',
  }: Extract<SourceStep, { op: 'wave' }>,
): Promise<PictureFile> {
  const seconds = await readDuration(file.path);
  if (seconds === null) throw new Error("its length can't be read");
  const gatherer = new PeakGatherer(width, Math.round(seconds * WAVE_RATE));
  await readSamples(file.path, (samples) => gatherer.add(samples));
  const path = `${temporary()}.svg`;
  await writeFile(path, drawWave(gatherer.peaks, { width, height }, colour, background));
  return temporaryPicture(path);
}

/** Decodes a sound to one channel of samples −1 to 1, in chunks. */
function readSamples(path: string, take: (samples: Float32Array) => void): Promise<void> {
  return new Promise((resolve, reject) => {
    const child = startTool('ffmpeg', [
      ...['-v', 'error', '-nostdin', '-threads', '2', ...ONLY_THIS_FILE, '-i', path],
      ...['-ac', '1', '-ar', String(WAVE_RATE), '-f', 'f32le', '-'],
    ]);
    let rest = Buffer.alloc(0);
    let said = '';
    child.stderr.on('data', (data: Buffer) => {
      said = (said + data.toString()).slice(-500);
    });
    child.stdout.on('data', (data: Buffer) => {
      const all = Buffer.concat([rest, data]);
      const whole = all.length - (all.length % 4);
      take(new Float32Array(all.buffer.slice(all.byteOffset, all.byteOffset + whole)));
      rest = all.subarray(whole);
    });
    child.on('error', reject);
    child.on('close', (code) => {
      const fault = endOfTool('ffmpeg', 'ffmpeg', code, said);
      if (fault) reject(fault);
      else resolve();
    });
  });
}

interface Probed {
  streams?: { codec_type: string; width?: number; height?: number; duration?: string }[];
  format?: { duration?: string };
}

async function probe(path: string): Promise<Probed> {
  return JSON.parse(
    await runTool(
      'ffprobe',
      ['-v', 'error', ...ONLY_THIS_FILE, '-show_format', '-show_streams', '-of', 'json', path],
      'ffmpeg',
    ),
  );
}

function temporary(): string {
  return join(tmpdir(), `uniferum-source-${randomUUID()}`);
}

function temporaryPicture(path: string): PictureFile {
  return {
    ...still(path, path.endsWith('.svg') ? 'image/svg+xml' : 'image/png'),
    release: () => rm(path, { force: true }),
  };
}
