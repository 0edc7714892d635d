import { randomUUID } from 'node:crypto';
import { rm, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import {
  applyPieces,
  BytesInMemory,
  cleanFile,
  metadataOfRights,
  NO_RIGHTS,
  type PsdHeader,
  readPsdHeader,
  type TiffFacts,
} from '@uniferum/core/inspection';
import sharp from 'sharp';
import { withSource } from './file-source.js';
import { isDiskFull, isOverLimit, MissingToolError, runTool } from './tool.js';

/** By which loader the image tool reads a type; some of them read nothing else. */
const LOADERS: Readonly<Record<string, string>> = {
  'image/heic': 'heifload',
  'image/jxl': 'jxlload',
  'image/bmp': 'magickload',
  'image/x-psd': 'magickload',
};
export const CAMERA_RAW = 'image/x-dcraw';
const IMAGE_TOOLS = 'libvips-tools';
/** Types whose grey and CMYK channels the image tool mistakes, by the names that the other program has for them. */
const CODERS: Readonly<Record<string, string>> = { 'image/bmp': 'bmp', 'image/x-psd': 'psd' };
const COLOUR_TOOL = 'imagemagick';
const METADATA_TOOL = 'libimage-exiftool-perl';

/** A picture made from a file of another type. */
export interface ConvertedPicture {
  path: string;
  mime: 'image/tiff' | 'image/jpeg';
  release(): Promise<void>;
}

/** A camera raw file without an embedded preview. */
export class NoPreviewError extends Error {
  constructor() {
    super('it contains no embedded preview');
  }
}

/**
 * Makes a picture that the image engine decodes from a file of a type that it doesn't, upright and with its colour
 * profile.
 *
 * @throws NoPreviewError; Error that says what is wrong with the file, or which Debian package the host needs
 */
export async function convertPicture(path: string, mime: string): Promise<ConvertedPicture> {
  if (mime === CAMERA_RAW) return extractPreview(path);
  const coder = CODERS[mime];
  if (coder === undefined) return convertByLoader(path, LOADERS[mime] ?? mime);
  const isLab = mime === PSD && requirePsdHeader(path).isLab;
  // Of a PSD, the first picture is the whole, and the others are the layers.
  return convertColours(`${coder}:${path}[0]`, isLab ? TO_SRGB : []);
}

/**
 * Makes a TIFF that the image engine decodes from one whose numbers or channels it mistakes for others.
 *
 * @param page from 0
 * @throws Error that says what is wrong with the file, or which Debian package the host needs
 */
export function convertTiff(
  path: string,
  { unusual, shownChannels }: Pick<TiffFacts, 'unusual' | 'shownChannels'>,
  page: number,
): Promise<ConvertedPicture> {
  if (unusual === 'channels')
    return convertBy('vips', IMAGE_TOOLS, (out) => [
      ...['extract_band', `${path}[page=${page}]`, out, '0', '--n', String(shownChannels)],
    ]);
  return convertColours(`tiff:${path}[${page}]`, unusual === 'lab' ? TO_SRGB : ['-depth', '16']);
}

const TO_SRGB = ['-colorspace', 'sRGB'];

function convertColours(source: string, options: readonly string[]): Promise<ConvertedPicture> {
  return convertBy('convert', COLOUR_TOOL, (out) => [source, ...options, '-compress', 'none', `tiff:${out}`]);
}

function convertByLoader(path: string, loader: string): Promise<ConvertedPicture> {
  return convertBy('vips', IMAGE_TOOLS, (out) => [loader, path, out]);
}

async function convertBy(
  command: string,
  debianPackage: string,
  argumentsFor: (out: string) => string[],
): Promise<ConvertedPicture> {
  const out = join(tmpdir(), `uniferum-converted-${randomUUID()}.tif`);
  try {
    await runTool(command, argumentsFor(out), debianPackage);
  } catch (error) {
    await rm(out, { force: true });
    throw sayPlainly(error, "its pixels are broken, or of a kind that can't be decoded");
  }
  return { path: out, mime: 'image/tiff', release: () => rm(out, { force: true }) };
}

/** The tool's own words are about its insides. */
function sayPlainly(error: unknown, reason: string): unknown {
  if (error instanceof MissingToolError || isDiskFull(error)) return error;
  if (isOverLimit(error))
    return new Error('it has more pixels than this server can convert', { cause: error });
  return new Error(reason, { cause: error });
}

async function extractPreview(path: string): Promise<ConvertedPicture> {
  const preview = await readPreview(path);
  if (preview === null) throw new NoPreviewError();
  const out = join(tmpdir(), `uniferum-preview-${randomUUID()}.jpg`);
  try {
    await writeFile(out, preview.data);
  } catch (error) {
    await rm(out, { force: true });
    throw error;
  }
  return { path: out, mime: 'image/jpeg', release: () => rm(out, { force: true }) };
}

/** Under these names cameras embed pictures. The largest is used. */
const PREVIEW_TAGS = ['JpgFromRaw', 'PreviewImage', 'OtherImage', 'ThumbnailImage'];
const MAX_TOOL_OUTPUT = 200_000_000;

/** The largest embedded preview of a camera raw file, as a JPEG that is shown upright; null when there is none. */
export async function readPreview(
  path: string,
): Promise<{ data: Buffer; width: number; height: number } | null> {
  const said = await runTool(
    'exiftool',
    [
      '-config',
      '',
      '-q',
      '-q',
      '-j',
      '-n',
      '-b',
      ...PREVIEW_TAGS.map((tag) => `-${tag}`),
      '-Orientation#',
      path,
    ],
    METADATA_TOOL,
    { maxOutput: MAX_TOOL_OUTPUT },
  );
  const [tags = {}] = JSON.parse(said || '[]') as Record<string, unknown>[];
  let best: { data: Buffer; width: number; height: number; orientation: number | undefined } | null = null;
  for (const name of PREVIEW_TAGS) {
    const value = tags[name];
    if (typeof value !== 'string' || !value.startsWith('base64:')) continue;
    const data = Buffer.from(value.slice('base64:'.length), 'base64');
    const header = await sharp(data, { limitInputPixels: false })
      .metadata()
      .catch(() => null);
    if (header?.format !== 'jpeg') continue;
    const { width, height } = header.autoOrient;
    if (best === null || width * height > best.width * best.height)
      best = { data, width, height, orientation: header.orientation };
  }
  if (best === null) return null;
  const { orientation: own, ...preview } = best;
  const ofCamera = Number(tags.Orientation);
  // A preview that states how it is turned is right; others are turned like the whole.
  if (own !== undefined || !(ofCamera >= 2 && ofCamera <= 8)) return preview;
  const isOnItsSide = ofCamera >= 5;
  return {
    data: turned(preview.data, ofCamera),
    width: isOnItsSide ? preview.height : preview.width,
    height: isOnItsSide ? preview.width : preview.height,
  };
}

function turned(jpeg: Buffer, orientation: number): Buffer {
  const source = new BytesInMemory(jpeg);
  const given = metadataOfRights(NO_RIGHTS, orientation);
  const pieces = cleanFile(source, 'image/jpeg', { keep: 'given', rights: NO_RIGHTS, orientation, given });
  return Buffer.from(applyPieces(source, pieces));
}

/** The size of a picture as a tool reads it, and whether it has more than 8 bits per channel. */
export async function readConvertedSize(
  path: string,
  mime: string,
): Promise<{ width: number; height: number; isDeep: boolean }> {
  const psd = mime === PSD ? requirePsdHeader(path) : null;
  const isDeepPsd = psd !== null && psd.bitsPerChannel > 8;
  // The image tool doesn't know its colours.
  if (psd?.isLab) return { width: psd.width, height: psd.height, isDeep: isDeepPsd };
  const said = await runTool('vipsheader', [path], IMAGE_TOOLS).catch((error) => {
    throw sayPlainly(error, 'its header is broken');
  });
  const found = /: (\d+)x(\d+) (\w+),(?:.*), (\w+)\s*$/.exec(said.trim().split('\n')[0] ?? '');
  // It chooses the loader by content: a file that is another one in disguise is not read.
  if (!found || found[4] !== LOADERS[mime]) throw new Error("it can't be read as what it claims to be");
  return {
    width: Number(found[1]),
    height: Number(found[2]),
    // Of a PSD, the tool states how it decodes it, and not how it is stored.
    isDeep: psd ? isDeepPsd : found[3] !== 'uchar',
  };
}

const PSD = 'image/x-psd';

/** @throws Error when it is corrupt */
function requirePsdHeader(path: string): PsdHeader {
  const header = withSource(path, readPsdHeader);
  if (header === null) throw new Error('its header is broken');
  return header;
}

/** Blocks of embedded metadata in files that the image engine doesn't read. */
export async function readToolBlocks(path: string): Promise<Record<'exif' | 'iim' | 'xmp', Buffer | null>> {
  const said = await runTool(
    'exiftool',
    ['-config', '', '-q', '-q', '-j', '-b', '-EXIF', '-IPTC', '-XMP', path],
    METADATA_TOOL,
    { maxOutput: MAX_TOOL_OUTPUT },
  ).catch((error) => {
    throw sayPlainly(error, 'its header is broken');
  });
  const [tags = {}] = JSON.parse(said || '[]') as Record<string, unknown>[];
  const block = (name: string) => {
    const value = tags[name];
    if (typeof value !== 'string') return null;
    return value.startsWith('base64:')
      ? Buffer.from(value.slice('base64:'.length), 'base64')
      : Buffer.from(value);
  };
  return { exif: block('EXIF'), iim: block('IPTC'), xmp: block('XMP') };
}
