import { createHash } from 'node:crypto';
import { createReadStream } from 'node:fs';
import { opendir, stat } from 'node:fs/promises';
import { join } from 'node:path';
import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { siteAssetType } from '@uniferum/core/pages';
import type { Inspector } from '../../inspection/inspector.js';
import type { CopySource } from '../../shared/copy-store.js';
import { ProcessKilledError } from '../../shared/process-task.js';
import { sha256Of } from '../../shared/sha256.js';
import { findDocument } from '../document-file.js';
import { allowedRoot, SKIPPED_NAMES } from '../folder-source.js';
import { type IndexTools, SourceFault } from '../opened-source.js';
import type { SiteFolder } from './queries.js';

/** A file as it is to be placed. */
export interface ReleaseFile {
  path: string;
  mime: string;
  sha256: string;
  integrity: string;
  bytes: number;
  /** How many references of a style sheet are other ones than in the folder. */
  edits: number;
  /** What a style sheet refers to within the folder, and is not there. */
  missing: string[];
  open: CopySource['open'];
}

/** A folder as it is to be placed. */
export interface Release {
  /** Twelve hexadecimal digits, made of all paths and bytes. */
  id: string;
  files: ReleaseFile[];
  /** How many files are of kinds that are not placed. */
  others: number;
}

const MAX_FILES = 10_000;
const MAX_STYLE_BYTES = 5_000_000;
/** With all that comes before them, keys have 1024 bytes at most. */
const MAX_PATH_BYTES = 500;

/** Reads a folder. @throws SourceFault when it can't be placed as it is */
export async function readRelease(
  { config, inspector }: Pick<IndexTools, 'config' | 'inspector'>,
  { folder, url }: Pick<SiteFolder, 'folder' | 'url'>,
): Promise<Release> {
  const root = await allowedRoot(config, folder);
  const { paths, others } = await listFiles(root);
  const files: ReleaseFile[] = [];
  for (const path of paths.sort()) {
    const file = await findDocument(root, path);
    // Gone since it was listed.
    if (file === null) continue;
    files.push(
      path.toLowerCase().endsWith('.css')
        ? await readStyles(inspector, file, { path, url, paths })
        : await readFileFacts(file, path),
    );
  }
  const digest = createHash('sha256');
  for (const { path, sha256 } of files) digest.update(`${path}\n${sha256}\n`);
  return { id: digest.digest('hex').slice(0, 12), files, others };
}

async function listFiles(root: string): Promise<{ paths: string[]; others: number }> {
  const paths: string[] = [];
  let others = 0;
  const walk = async (folder: string): Promise<void> => {
    for await (const entry of await opendir(join(root, folder))) {
      if (SKIPPED_NAMES.test(entry.name)) continue;
      const path = folder === '' ? entry.name : `${folder}/${entry.name}`;
      if (entry.isDirectory()) await walk(path);
      else if (entry.isFile() && siteAssetType(entry.name) !== null)
        paths.push(requireFit(path, paths.length));
      else others += 1;
    }
  };
  await walk('').catch((error: NodeJS.ErrnoException) => {
    if (error instanceof SourceFault) throw error;
    throw new SourceFault(
      `${root} can't be read (${error.code}). Give the server's user the right to read all of it.`,
    );
  });
  return { paths, others };
}

/** @throws SourceFault for a path that is too long, or one too many */
function requireFit(path: string, before: number): string {
  if (Buffer.byteLength(path) > MAX_PATH_BYTES)
    throw new SourceFault(
      `${path.slice(0, 80)}… has a path of more than ${MAX_PATH_BYTES} bytes. Shorten it.`,
    );
  if (before >= MAX_FILES)
    throw new SourceFault(
      `It has more than ${MAX_FILES.toLocaleString('en-GB')} files. Place a folder below it.`,
    );
  return path;
}

async function readStyles(
  inspector: Inspector,
  file: string,
  { path, url, paths }: { path: string; url: string; paths: string[] },
): Promise<ReleaseFile> {
  if ((await stat(file)).size > MAX_STYLE_BYTES)
    throw new SourceFault(`${path} has more than 5 MB, too much for a style sheet. Split it.`);
  const moved = await inspector.moveStyles({ file, path, siteUrl: url, paths }).catch((error) => {
    if (!(error instanceof ProcessKilledError)) throw error;
    throw new SourceFault(`${path} can't be read as a style sheet: ${error.message}.`);
  });
  const content = Buffer.from(moved.text, 'latin1');
  return {
    ...{ path, mime: `text/css; charset=${moved.encoding}`, bytes: content.length },
    sha256: sha256Of(content),
    integrity: `sha384-${createHash('sha384').update(content).digest('base64')}`,
    ...{ edits: moved.edits, missing: moved.missing },
    open: (range) => Readable.from([range ? content.subarray(range.start, range.end + 1) : content]),
  };
}

async function readFileFacts(file: string, path: string): Promise<ReleaseFile> {
  const [sha256, sha384] = [createHash('sha256'), createHash('sha384')];
  let bytes = 0;
  await pipeline(createReadStream(file), async (chunks: AsyncIterable<Buffer>) => {
    for await (const chunk of chunks) {
      bytes += chunk.length;
      sha256.update(chunk);
      sha384.update(chunk);
    }
  });
  return {
    ...{ path, mime: siteAssetType(path) as string, bytes, edits: 0, missing: [] },
    ...{ sha256: sha256.digest('hex'), integrity: `sha384-${sha384.digest('base64')}` },
    open: (range) => createReadStream(file, range),
  };
}
