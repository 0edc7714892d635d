import { execFile, spawn } from 'node:child_process';
import { randomUUID } from 'node:crypto';
import { rm, stat, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { promisify } from 'node:util';
import { drawWave, type Kind, PeakGatherer, type SourceStep } from '@uniferum/core';

const run = promisify(execFile);

/** A tool may take so long over one page or moment. */
const TOOL_TIMEOUT_MS = 120_000;
const MAX_TOOL_OUTPUT = 4_000_000;
const WAVE_RATE = 8000;

/** A file of which a picture can be made. */
export interface SourceFile {
  path: string;
  kind: Kind;
  mime: string;
}

/** A picture file that the image engine decodes. */
export interface PictureFile {
  path: string;
  mime: string;
  /** Removes what was written for it. */
  release(): Promise<void>;
}

/**
 * Makes a picture of a file that is none: a page of a document, a moment of a film, the wave form of a sound.
 *
 * @throws Error that says what is wrong with the file, or which Debian package the worker needs
 */
export async function openSource(file: SourceFile, step: SourceStep | null): Promise<PictureFile> {
  if (file.kind === 'video') return openMoment(file, step?.op === 'moment' ? step.at : undefined);
  if (file.kind === 'audio') return openWave(file, step?.op === 'wave' ? step : { op: 'wave' });
  if (file.mime === 'application/pdf') {
    const { page = 1, dpi = 150 } = step?.op === 'page' ? step : {};
    return openPage(file, page, dpi);
  }
  return { path: file.path, mime: file.mime, release: async () => {} };
}

/** The length of a film or sound in seconds; null when it can't be told. */
export async function readDuration(path: string): Promise<number | null> {
  const probed = await probe(path).catch(() => null);
  const seconds = Number(probed?.format?.duration);
  return Number.isFinite(seconds) && seconds > 0 ? Math.round(seconds * 1000) / 1000 : null;
}

async function openPage(file: SourceFile, page: number, dpi: number): Promise<PictureFile> {
  const overview = await tool('pdfinfo', [file.path], 'poppler-utils');
  const pages = Number(/^Pages:\s+(\d+)/m.exec(overview)?.[1] ?? 0);
  if (page > pages)
    throw new Error(`it has ${pages} ${pages === 1 ? 'page' : 'pages'}, and page ${page} is wanted`);
  const range = ['-f', String(page), '-l', String(page)];
  const info = await tool('pdfinfo', [...range, file.path], 'poppler-utils');
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
  await tool('pdftoppm', [...range, '-singlefile', '-png', ...scaled, file.path, stem], 'poppler-utils');
  return temporaryPicture(`${stem}.png`);
}

async function openMoment(file: SourceFile, at: number | undefined): Promise<PictureFile> {
  const probed = await probe(file.path);
  const stream = probed.streams?.find(({ codec_type }) => codec_type === 'video');
  if (!stream) throw new Error('it holds no moving picture');
  const duration = Number(probed.format?.duration ?? stream.duration);
  const second = at ?? (Number.isFinite(duration) ? duration / 10 : 0);
  if (Number.isFinite(duration) && second > duration)
    throw new Error(`it is ${duration.toFixed(1)} s long, and the moment at ${second} s is wanted`);
  const path = `${temporary()}.png`;
  await tool(
    'ffmpeg',
    ['-v', 'error', '-nostdin', '-ss', String(second), '-i', file.path, '-frames:v', '1', '-y', path],
    'ffmpeg',
  );
  // The last moment of a film may lie behind its last picture.
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
  if (seconds === null) throw new Error('its length can’t be read');
  const gatherer = new PeakGatherer(width, Math.round(seconds * WAVE_RATE));
  await readSamples(file.path, (samples) => gatherer.add(samples));
  const path = `${temporary()}.svg`;
  await writeFile(path, drawWave(gatherer.peaks, { width, height }, colour, background));
  return temporaryPicture(path);
}

/** Decodes a sound to one channel of samples −1 to 1, piece by piece. */
function readSamples(path: string, take: (samples: Float32Array) => void): Promise<void> {
  return new Promise((resolve, reject) => {
    const child = spawn(
      'ffmpeg',
      ['-v', 'error', '-nostdin', '-i', path, '-ac', '1', '-ar', String(WAVE_RATE), '-f', 'f32le', '-'],
      { stdio: ['ignore', 'pipe', 'pipe'] },
    );
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
    child.on('error', (error) => reject(missingTool('ffmpeg', 'ffmpeg', error)));
    child.on('close', (code) => (code === 0 ? resolve() : reject(new Error(lastLine(said)))));
  });
}

interface Probed {
  streams?: { codec_type: string; width?: number; height?: number; duration?: string }[];
  format?: { duration?: string };
}

async function probe(path: string): Promise<Probed> {
  return JSON.parse(
    await tool('ffprobe', ['-v', 'error', '-show_format', '-show_streams', '-of', 'json', path], 'ffmpeg'),
  );
}

async function tool(command: string, args: string[], debianPackage: string): Promise<string> {
  try {
    return (await run(command, args, { timeout: TOOL_TIMEOUT_MS, maxBuffer: MAX_TOOL_OUTPUT })).stdout;
  } catch (error) {
    if (error instanceof Error && 'code' in error && error.code === 'ENOENT')
      throw missingTool(command, debianPackage, error);
    const said = error instanceof Error && 'stderr' in error ? String(error.stderr) : '';
    throw new Error(lastLine(said) || `${command} could not read it`, { cause: error });
  }
}

function missingTool(command: string, debianPackage: string, cause: unknown): Error {
  return new Error(
    `this worker has no "${command}"; install the Debian package ${debianPackage} on its host`,
    { cause },
  );
}

/** What a tool said last, without the paths of our own disk. */
function lastLine(said: string): string {
  const line = said.trim().split('\n').at(-1) ?? '';
  return line.replace(/(?:\/[\w.-]+){2,}:?\s*/g, '').slice(0, 200);
}

function temporary(): string {
  return join(tmpdir(), `uniferum-source-${randomUUID()}`);
}

function temporaryPicture(path: string): PictureFile {
  return {
    path,
    mime: path.endsWith('.svg') ? 'image/svg+xml' : 'image/png',
    release: () => rm(path, { force: true }),
  };
}
