import { randomUUID } from 'node:crypto';
import { open, rm, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import {
  applyPieces,
  BytesInMemory,
  cleanFile,
  metadataOfRights,
  NO_RIGHTS,
  type TiffFacts,
} from '@uniferum/core/inspection';
import sharp from 'sharp';
import { isDiskFull, MissingToolError, runTool } from './tool.js';

/** What a type needs to be read: a loader of the image tool that reads nothing else, or the preview in a camera's file. */
const LOADERS: Readonly<Record<string, string>> = {
  'image/heic': 'heifload',
  'image/jxl': 'jxlload',
  'image/bmp': 'magickload',
  'image/x-psd': 'magickload',
};
export const CAMERA_RAW = 'image/x-dcraw';
const IMAGE_TOOLS = 'libvips-tools';
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
  return mime === CAMERA_RAW ? extractPreview(path) : convertByLoader(path, LOADERS[mime] ?? mime);
}

/**
 * Makes a TIFF that the image engine decodes from one whose numbers it mistakes for others.
 *
 * @param page from 0
 * @throws Error that says what is wrong with the file, or which Debian package the host needs
 */
export function convertTiff(
  path: string,
  unusual: NonNullable<TiffFacts['unusual']>,
  page: number,
): Promise<ConvertedPicture> {
  // Of the two, only one knows CIELAB, and only the other scales the numbers.
  return unusual === 'lab'
    ? convertBy((out) => ['colourspace', `${path}[page=${page}]`, out, 'srgb'])
    : convertBy((out) => ['magickload', path, out, '--page', String(page)]);
}

function convertByLoader(path: string, loader: string): Promise<ConvertedPicture> {
  return convertBy((out) => [loader, path, out]);
}

async function convertBy(argumentsFor: (out: string) => string[]): Promise<ConvertedPicture> {
  const out = join(tmpdir(), `uniferum-converted-${randomUUID()}.tif`);
  try {
    await runTool('vips', argumentsFor(out), IMAGE_TOOLS);
  } catch (error) {
    await rm(out, { force: true });
    throw sayPlainly(error, "its pixels are broken, or of a kind that can't be decoded");
  }
  return { path: out, mime: 'image/tiff', release: () => rm(out, { force: true }) };
}

/** The tool's own words are about its insides. */
function sayPlainly(error: unknown, reason: string): unknown {
  if (error instanceof MissingToolError || isDiskFull(error)) return error;
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

/** The size of a picture as the image tool reads it, and whether it has more than 8 bits per channel. */
export async function readConvertedSize(
  path: string,
  mime: string,
): Promise<{ width: number; height: number; isDeep: boolean }> {
  const said = await runTool('vipsheader', [path], IMAGE_TOOLS).catch((error) => {
    throw sayPlainly(error, 'its header is broken');
  });
  const found = /: (\d+)x(\d+) (\w+),(?:.*), (\w+)\s*$/.exec(said.trim().split('\n')[0] ?? '');
  // It chooses the loader by content: a file that is another one in disguise is not read.
  if (!found || found[4] !== LOADERS[mime]) throw new Error("it can't be read as what it claims to be");
  // Of a PSD, the tool states how it decodes it, and not how it is stored.
  const isDeep = mime === 'image/x-psd' ? await isDeepPsd(path) : found[3] !== 'uchar';
  return { width: Number(found[1]), height: Number(found[2]), isDeep };
}

/** Where the file header of a PSD has the number of bits per channel, in two bytes: 1, 8, 16 or 32. Source: from memory. */
const PSD_DEPTH_AT = 22;

async function isDeepPsd(path: string): Promise<boolean> {
  const file = await open(path);
  try {
    const { buffer, bytesRead } = await file.read(Buffer.alloc(2), 0, 2, PSD_DEPTH_AT);
    return bytesRead === 2 && buffer.readUInt16BE(0) > 8;
  } finally {
    await file.close();
  }
}

/** Blocks of embedded metadata in files that the image engine doesn't read. */
export async function readToolBlocks(path: string): Promise<Record<'exif' | 'iim' | 'xmp', Buffer | null>> {
  const said = await runTool(
    'exiftool',
    ['-config', '', '-q', '-q', '-j', '-b', '-EXIF', '-IPTC', '-XMP', path],
    METADATA_TOOL,
    { maxOutput: MAX_TOOL_OUTPUT },
  );
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
