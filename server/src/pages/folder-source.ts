import { opendir, realpath, stat } from 'node:fs/promises';
import { isAbsolute, join, relative, resolve, sep } from 'node:path';
import { formatOfFile, type TestStep } from '@uniferum/core/pages';
import type { Config } from '../shared/config.js';
import type { FolderSettings, ListedDocument } from './source.js';

type SourceConfig = Pick<Config, 'sourceDirs'>;

/** Folders of tools, with copies of what others wrote. Common practice, no source. */
const SKIPPED = /^(?:\.|node_modules$|__MACOSX$)/;
const MAX_DOCUMENTS = 1_000_000;
/** A longer address is not stored. */
const MAX_ADDRESS = 2000;
/** Larger documents are not read. */
const MAX_DOCUMENT_BYTES = 50_000_000;

/** Tests a folder step by step, up to the first that fails. */
export async function testFolder(config: SourceConfig, { path }: FolderSettings): Promise<TestStep[]> {
  const steps: TestStep[] = [];
  const add = (name: string, ok: boolean, message: string) => {
    steps.push({ name, ok, message });
    return ok;
  };
  const { sourceDirs } = config;
  if (
    !add('configured', sourceDirs.length > 0, sourceDirs.length > 0 ? 'Source folders are configured.' : NONE)
  )
    return steps;
  const real = isAbsolute(path) ? await realpath(path).catch(() => null) : null;
  if (
    !add('found', real !== null, real === null ? `${path} does not exist on this server.` : `${path} exists.`)
  )
    return steps;
  const isAllowed = await isBelow(sourceDirs, real as string);
  const outside = `${path} is not below a folder that UNIFERUM_SOURCE_DIRS names. Add one, and restart the server.`;
  if (!add('allowed', isAllowed, isAllowed ? 'It is below a configured folder.' : outside)) return steps;
  const first = await firstDocument(real as string).catch((error: NodeJS.ErrnoException) => error);
  if (first instanceof Error)
    add(
      'readable',
      false,
      `${path} can't be read (${first.code}). Give the server's user the right to read it.`,
    );
  else if (first === null) add('readable', true, 'It is readable and contains no documents yet.');
  else add('readable', true, `It is readable; ${first.path} is one of its documents.`);
  return steps;
}

const NONE = 'No source folders are configured. Set UNIFERUM_SOURCE_DIRS and restart the server.';

async function firstDocument(root: string): Promise<ListedDocument | null> {
  for await (const document of walk(root, '')) return document;
  return null;
}

/** Finds the real path of a folder source. @throws Error that says why it can't be read */
export async function requireFolder(config: SourceConfig, { path }: FolderSettings): Promise<string> {
  const real = await realpath(path).catch((error: NodeJS.ErrnoException) => {
    throw new Error(`${path} can't be found (${error.code}). Check that it exists and is mounted.`);
  });
  if (!(await isBelow(config.sourceDirs, real)))
    throw new Error(`${path} is not below a folder that UNIFERUM_SOURCE_DIRS names.`);
  return real;
}

async function isBelow(allowed: readonly string[], real: string): Promise<boolean> {
  for (const folder of allowed) {
    const root = await realpath(resolve(folder)).catch(() => null);
    if (root !== null && (real === root || real.startsWith(root + sep))) return true;
  }
  return false;
}

/** Lists the documents of a folder and its subfolders. Symbolic links are not followed. */
export async function listFolder(root: string): Promise<ListedDocument[]> {
  const listed: ListedDocument[] = [];
  for await (const document of walk(root, '')) {
    listed.push(document);
    if (listed.length >= MAX_DOCUMENTS) break;
  }
  return listed;
}

async function* walk(root: string, folder: string): AsyncGenerator<ListedDocument> {
  for await (const entry of await opendir(join(root, folder))) {
    if (SKIPPED.test(entry.name)) continue;
    const path = folder === '' ? entry.name : `${folder}/${entry.name}`;
    if (entry.isDirectory()) yield* walk(root, path);
    else if (entry.isFile() && formatOfFile(entry.name) !== null) {
      const stamp = await stampOf(join(root, path));
      if (stamp !== null) yield { path, stamp };
    }
  }
}

/** Size and times of a file: the time of its inode changes whatever else is kept. Null when it is gone. */
export async function stampOf(path: string): Promise<string | null> {
  const info = await stat(path, { bigint: true }).catch(() => null);
  return info && `${info.size}-${info.mtimeNs}-${info.ctimeNs}`;
}

/** Tells whether a document is too large to be read. */
export function isTooLarge(stamp: string): boolean {
  return Number(stamp.split('-')[0]) > MAX_DOCUMENT_BYTES;
}

/** Finds a document for reading: never outside of the folder, whatever was put in its place. Null when it is gone. */
export async function findDocument(root: string, path: string): Promise<string | null> {
  const full = resolve(root, path);
  const real = await realpath(full).catch(() => null);
  return real === full && !relative(root, real).startsWith('..') ? real : null;
}

/** The address of a document: that of its folder for an index. Null when the source has none. */
export function documentUrl({ url }: FolderSettings, path: string): string | null {
  if (url === null) return null;
  const shown = path.replace(/(^|\/)index\.html?$/i, '$1');
  const address = url + shown.split('/').map(encodeURIComponent).join('/');
  return address.length > MAX_ADDRESS ? null : address;
}
