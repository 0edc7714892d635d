import type { Dirent } from 'node:fs';
import { opendir, realpath } from 'node:fs/promises';
import { isAbsolute, join, resolve, sep } from 'node:path';
import { encodePath } from '@uniferum/core/library';
import { type FolderSettings, formatOfFile } from '@uniferum/core/pages';
import type { TestStep } from '@uniferum/core/shared';
import type { Config } from '../shared/config.js';
import { inGroups } from '../shared/group.js';
import { DocumentFinder, stampOf } from './document-file.js';
import {
  MAX_ADDRESS,
  MAX_DOCUMENT_BYTES,
  type OpenedSource,
  type PresentDocument,
  SourceFault,
  TOO_LARGE,
  writeEach,
} from './opened-source.js';
import type { ListedDocument } from './source.js';
import { writeDocument } from './write-document.js';

type SourceConfig = Pick<Config, 'sourceDirs'>;

/** Folders of tools, with copies of what others wrote. Common practice, no source. */
export const SKIPPED_NAMES = /^(?:\.|node_modules$|__MACOSX$)/;
const MAX_DOCUMENTS = 1_000_000;

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

/** The real path of a folder that may be read. @throws SourceFault */
export async function allowedRoot({ sourceDirs }: SourceConfig, path: string): Promise<string> {
  const root = await realpath(path).catch((error: NodeJS.ErrnoException) => {
    throw new SourceFault(`${path} can't be found (${error.code}). Check that it exists and is mounted.`);
  });
  if (!(await isBelow(sourceDirs, root)))
    throw new SourceFault(`${path} is not below a folder that UNIFERUM_SOURCE_DIRS names.`);
  return root;
}

/** Opens a folder. @throws SourceFault */
export async function openFolder(config: SourceConfig, settings: FolderSettings): Promise<OpenedSource> {
  const { path, url } = settings;
  const root = await allowedRoot(config, path);
  return {
    siteUrl: url,
    place: path,
    list: () => listFolder(root),
    async *present(paths) {
      const finder = new DocumentFinder(root);
      const found = await Promise.all(paths.map((one) => presentDocument(finder, one, settings)));
      yield found.filter((one) => one !== null);
    },
    write: (changes) => writeEach(changes, (change) => writeDocument(root, change)),
    close: async () => {},
  };
}

/** A document as it is now. Null when it is gone; the next run notices. */
async function presentDocument(
  finder: DocumentFinder,
  path: string,
  settings: FolderSettings,
): Promise<PresentDocument | null> {
  const found = await finder.find(path);
  if (found === null) return null;
  const { file, stamp } = found;
  return {
    ...{ path, stamp, content: { file }, title: null },
    url: documentUrl(settings, path),
    format: formatOfFile(path) ?? 'html',
    fault: Number(stamp.split('-')[0]) > MAX_DOCUMENT_BYTES ? TOO_LARGE : null,
  };
}

async function isBelow(allowed: readonly string[], real: string): Promise<boolean> {
  for (const folder of allowed) {
    const root = await realpath(resolve(folder)).catch(() => null);
    if (root !== null && (real === root || real.startsWith(root + sep))) return true;
  }
  return false;
}

/** Lists the documents of a folder and its subfolders. Symbolic links are not followed. */
async function listFolder(root: string): Promise<ListedDocument[]> {
  const listed: ListedDocument[] = [];
  try {
    for await (const document of walk(root, '')) {
      listed.push(document);
      if (listed.length >= MAX_DOCUMENTS) break;
    }
  } catch (error) {
    const { code } = error as NodeJS.ErrnoException;
    throw new SourceFault(
      `it can't be listed (${code}). Check that it is a folder and that the server's user can read all of it.`,
    );
  }
  return listed;
}

/** A disk answers several questions at a time as fast as one. */
const STAMPS_AT_A_TIME = 64;

async function* walk(root: string, folder: string): AsyncGenerator<ListedDocument> {
  const entries = inGroups(await opendir(join(root, folder)), STAMPS_AT_A_TIME);
  for await (const some of entries) {
    const known = some.filter(({ name }) => !SKIPPED_NAMES.test(name));
    const pathOf = ({ name }: Dirent) => (folder === '' ? name : `${folder}/${name}`);
    const files = known.filter((entry) => entry.isFile() && formatOfFile(entry.name) !== null).map(pathOf);
    const stamps = await Promise.all(files.map((path) => stampOf(join(root, path))));
    for (const [index, path] of files.entries()) {
      const stamp = stamps[index];
      if (stamp) yield { path, stamp };
    }
    for (const entry of known) if (entry.isDirectory()) yield* walk(root, pathOf(entry));
  }
}

/** The address of a document: that of its folder for an index. Null when the source has none. */
function documentUrl({ url }: Pick<FolderSettings, 'url'>, path: string): string | null {
  if (url === null) return null;
  const shown = path.replace(/(^|\/)index\.html?$/i, '$1');
  const address = url + encodePath(shown);
  return address.length > MAX_ADDRESS ? null : address;
}
